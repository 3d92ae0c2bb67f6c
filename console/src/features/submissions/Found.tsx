import { Button } from "@mantine/core";

import { call } from "../../app/http";
import { Failure, Panel, SeverityMark } from "../../ui/parts";
import { type Submission, useRuleAct } from "./queries";

/** What the storefront's machines found and our checks did not, each with the way to find it here first next time. */
export function Found({ data }: { data: Submission }) {
  const add = useRuleAct((found: number) =>
    call("/studio-rules", { method: "POST", body: { title: data.title, submission: data.number, found } }),
  );
  if (!data.findings.length) return null;
  return (
    <Panel title={`What ${data.storefront_title}'s machines found`} aside="our checks did not">
      {data.findings.map((found, n) => (
        <div className="finding" key={`${found.code} ${found.where}`}>
          <SeverityMark severity={found.severity} />
          <div>
            {found.message}. <span className="mono">{found.where}</span>
            <div>
              {found.rule ? (
                <span className="dim">The studio's rule {found.rule} finds it from now on.</span>
              ) : (
                <Button size="compact-xs" variant="default" loading={add.isPending} onClick={() => add.mutate(n + 1)}>
                  Make a check of it
                </Button>
              )}
            </div>
          </div>
        </div>
      ))}
      {add.error && <Failure error={add.error} />}
    </Panel>
  );
}
