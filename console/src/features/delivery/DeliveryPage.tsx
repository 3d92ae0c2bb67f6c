import { Stack } from "@mantine/core";
import { useParams } from "react-router";

import { Answer, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { OriginsPanel } from "./OriginsPanel";
import { useTrust } from "./queries";
import { RootFacts } from "./RootFacts";
import { SignedRoles } from "./SignedRoles";

/** What do this title's devices believe, until when, and where do their files lie? */
export function DeliveryPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const trust = useTrust(title);
  return (
    <>
      <PageHead title={`Delivery of ${found?.name ?? title}`}>
        Devices take what is signed down from the root, from wherever they get it: a mirror that is stolen gives them nothing false.
      </PageHead>
      <Stack gap="md">
        <Panel title="Root" aside="signed by people, offline">
          <Answer of={trust} rows={3}>
            {(answer) => <RootFacts trust={answer} />}
          </Answer>
        </Panel>
        {trust.data?.root && (
          <Panel title="What the service signs" aside="by itself, long before it ends" flush>
            <SignedRoles trust={trust.data} />
          </Panel>
        )}
        <OriginsPanel title={title} />
      </Stack>
    </>
  );
}
