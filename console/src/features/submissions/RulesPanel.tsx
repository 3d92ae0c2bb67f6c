import { Button, Group, Modal, Textarea } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { Answer, Empty, Failure, Panel, SeverityMark, When } from "../../ui/parts";
import { useRuleAct, useRules } from "./queries";

const EXAMPLE = '[private-words]\nsays = "a text inside says that it must not ship"\nfiles = ["*.txt", "*.md"]\nholds = ["confidential"]\n';

/** Checks of the studio's own: what a storefront found once, found here first from then on. */
export function RulesPanel() {
  const rules = useRules();
  const [writing, write] = useState(false);
  const [going, take] = useState("");
  const remove = useRuleAct((name: string) => call(`/studio-rules/${name}`, { method: "DELETE" }));
  return (
    <Panel
      title="The studio's own checks"
      aside={
        <Button size="compact-xs" variant="default" onClick={() => write(true)}>
          Write one …
        </Button>
      }
      flush
    >
      <Answer of={rules} rows={2}>
        {({ items }) =>
          items.length === 0 ? (
            <Empty command="bin/rampa rule add FILE">
              None yet. What a storefront's machines find can be made into one on the submission's page.
            </Empty>
          ) : (
            <table className="rows">
              <thead>
                <tr>
                  <th>Rule</th>
                  <th>Finds a</th>
                  <th>Says</th>
                  <th className="wide">Made</th>
                  <th className="number">Act</th>
                </tr>
              </thead>
              <tbody>
                {items.map((rule) => (
                  <tr key={rule.name}>
                    <td className="tight">
                      <span className="mono" title={rule.text}>
                        {rule.name}
                      </span>
                    </td>
                    <td className="tight">
                      <SeverityMark severity={rule.severity} />
                    </td>
                    <td>
                      {rule.says}
                      <span className="dim"> for {rule.storefronts.join(", ") || "all storefronts"}</span>
                    </td>
                    <td className="wide">
                      <When at={rule.created_at} /> <span className="dim">by {rule.made_by}</span>
                    </td>
                    <td className="number">
                      <Button size="compact-xs" variant="default" onClick={() => take(rule.name)}>
                        Remove …
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Answer>
      {writing && <Write close={() => write(false)} />}
      {going && (
        <Confirm
          title={`Remove the rule ${going}?`}
          keep="Keep it"
          act="Remove it"
          error={remove.error}
          pending={remove.isPending}
          confirm={() => remove.mutate(going, { onSuccess: () => take("") })}
          close={() => take("")}
        >
          Nothing is checked by it any more. Submissions that are on their way go on.
        </Confirm>
      )}
    </Panel>
  );
}

function Write({ close }: { close: () => void }) {
  const [text, set] = useState(EXAMPLE);
  const add = useRuleAct((body: { text: string }) => call("/studio-rules", { method: "POST", body }));
  const send = () => add.mutate({ text }, { onSuccess: close });
  return (
    <Modal opened onClose={close} size={640} title={<b>A check of the studio's own</b>}>
      <Textarea
        label="The rule, as TOML"
        description="It looks at files by their names, with holds at words in them; at a permission; or at a framework that is older_than a version."
        autosize
        minRows={6}
        styles={{ input: { fontFamily: "var(--mantine-font-family-monospace)" } }}
        value={text}
        onChange={(e) => set(e.currentTarget.value)}
      />
      {add.error && <Failure error={add.error} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Add none
        </Button>
        <Button loading={add.isPending} onClick={send}>
          Add the rule
        </Button>
      </Group>
    </Modal>
  );
}
