import { Link, useParams } from "react-router";

import { PageHead } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { useTitle } from "../titles/queries";
import { Machines } from "./Machines";

/** How does a build look on a device, and what does the device do when its surroundings are bad? */
export function ScreensPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const channels = useChannels(title);
  const name = found?.name ?? title;
  const choices = (channels.data?.items ?? []).map((c) => ({ title, channel: c.name, label: `${c.name} of ${name}` }));
  return (
    <>
      <PageHead title="Simulated devices">
        Yours alone. Keys, calls, signatures and files are real, and so is the program that is started; the machine is not.{" "}
        <Link to={`/titles/${title}/devices`}>All devices of {name}</Link>
      </PageHead>
      <Machines choices={choices} />
    </>
  );
}
