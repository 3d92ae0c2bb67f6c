import { Stack } from "@mantine/core";

import { Answer, Command, PageHead } from "../../ui/parts";
import { Documents } from "./Documents";
import { FactsForm } from "./FactsForm";
import { useStudio } from "./queries";
import { Verifications } from "./Verifications";

/** Who is this studio, and who has verified it? */
export function StudioPage() {
  const studio = useStudio();
  return (
    <>
      <PageHead title="The studio" aside={<Command text="bin/rampa studio show" />}>
        Whoever brings titles to everybody wants to know who stands behind them. Nothing goes to everybody before.
      </PageHead>
      <Answer of={studio} rows={8}>
        {(data) => (
          <Stack gap="md">
            <Verifications studio={data} />
            <FactsForm studio={data} />
            <Documents studio={data} />
          </Stack>
        )}
      </Answer>
    </>
  );
}
