import { Button, Group, Modal, PasswordInput, TextInput } from "@mantine/core";
import { useState } from "react";

import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { type StepVariables, usePutStepVariables, useRemoveStepVariables, useStepVariables } from "../sources/queries";

/** What do steps get from outside: variables, and secrets that nobody sees again? */
export function VariablesPage() {
  const groups = useStepVariables();
  const [open, setOpen] = useState<StepVariables | "new" | null>(null);
  const [gone, setGone] = useState<StepVariables | null>(null);
  const remove = useRemoveStepVariables();
  return (
    <>
      <PageHead
        title="Step variables"
        aside={
          <Button size="compact-md" onClick={() => setOpen("new")}>
            Add a group …
          </Button>
        }
      >
        Profiles name a group in toolchain.variables. Secrets rest sealed; in logs they are masked.
      </PageHead>
      <Panel title="Groups" flush>
        <Answer of={groups} rows={3}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa variables set GROUP NAME=VALUE --secret NAME">There is no group yet.</Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Group</th>
                    <th>Variables</th>
                    <th>Secrets</th>
                    <th className="wide">Named by</th>
                    <th className="wide">Changed</th>
                    <td />
                  </tr>
                </thead>
                <tbody>
                  {items.map((g) => (
                    <tr key={g.name}>
                      <td>
                        <b>{g.name}</b> {g.note && <span className="dim wide">{g.note}</span>}
                      </td>
                      <td>
                        <Names names={Object.keys(g.variables)} />
                      </td>
                      <td>
                        <Names names={g.secrets} />
                      </td>
                      <td className="wide" title={g.used_by.join("\n")}>
                        {g.used_by.length ? (
                          `${g.used_by[0]}${g.used_by.length > 1 ? ` and ${g.used_by.length - 1} more` : ""}`
                        ) : (
                          <span className="dim">nobody</span>
                        )}
                      </td>
                      <td className="wide tight">
                        <When at={g.changed_at} /> <span className="dim">by {g.changed_by}</span>
                      </td>
                      <td className="tight">
                        <Button size="compact-xs" variant="default" onClick={() => setOpen(g)}>
                          Change …
                        </Button>{" "}
                        <Button size="compact-xs" variant="default" onClick={() => setGone(g)}>
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
      </Panel>
      <Modal
        opened={open !== null}
        onClose={() => setOpen(null)}
        title={open === "new" ? "Add a group" : `Change ${open?.name ?? ""}`}
        size="lg"
      >
        {open !== null && <Form known={open === "new" ? null : open} done={() => setOpen(null)} />}
      </Modal>
      <Modal opened={gone !== null} onClose={() => setGone(null)} title={`Remove ${gone?.name}?`}>
        <p style={{ marginTop: 0 }}>
          Its {Object.keys(gone?.variables ?? {}).length} variables and {gone?.secrets.length} secrets are gone then.
        </p>
        {remove.error && <Failure error={remove.error} />}
        <Button
          color="rust"
          className="danger"
          loading={remove.isPending}
          onClick={() => remove.mutate(gone!.name, { onSuccess: () => setGone(null) })}
        >
          Remove the group
        </Button>
      </Modal>
    </>
  );
}

/** Each on a line of its own: names are copied into steps as they stand. */
function Names({ names }: { names: string[] }) {
  if (names.length === 0) return <>–</>;
  return names.map((name) => (
    <div key={name} className="mono" style={{ whiteSpace: "nowrap" }}>
      {name}
    </div>
  ));
}

interface Pair {
  name: string;
  value: string;
}

function Form({ known, done }: { known: StepVariables | null; done: () => void }) {
  const [name, setName] = useState(known?.name ?? "");
  const [note, setNote] = useState(known?.note ?? "");
  const [plain, setPlain] = useState<Pair[]>(Object.entries(known?.variables ?? {}).map(([n, value]) => ({ name: n, value })));
  const [secret, setSecret] = useState<Pair[]>((known?.secrets ?? []).map((n) => ({ name: n, value: "" })));
  const put = usePutStepVariables();
  const kept = new Set(known?.secrets ?? []);
  const send = () => {
    const secrets = Object.fromEntries(secret.filter((p) => p.name).map((p) => [p.name, p.value || (kept.has(p.name) ? null : "")]));
    put.mutate(
      {
        name,
        seen: known?.version,
        body: { note, variables: Object.fromEntries(plain.filter((p) => p.name).map((p) => [p.name, p.value])), secrets },
      },
      { onSuccess: done },
    );
  };
  return (
    <form
      style={{ display: "grid", gap: 12 }}
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <TextInput required label="Name" value={name} disabled={known !== null} onChange={(e) => setName(e.currentTarget.value)} />
      <TextInput label="What it is for" value={note} onChange={(e) => setNote(e.currentTarget.value)} />
      <Pairs label="Variables" pairs={plain} set={setPlain} />
      <Pairs label="Secrets" pairs={secret} set={setSecret} hidden kept={kept} />
      {put.error && <Failure error={put.error} />}
      <Button type="submit" loading={put.isPending} style={{ justifySelf: "start" }}>
        Save the group
      </Button>
    </form>
  );
}

function Pairs({
  label,
  pairs,
  set,
  hidden,
  kept,
}: {
  label: string;
  pairs: Pair[];
  set: (pairs: Pair[]) => void;
  hidden?: boolean;
  kept?: Set<string>;
}) {
  const change = (at: number, more: Partial<Pair>) => set(pairs.map((p, n) => (n === at ? { ...p, ...more } : p)));
  const one = label.slice(0, -1).toLowerCase();
  return (
    <fieldset style={{ border: 0, padding: 0, margin: 0, display: "grid", gap: 6 }}>
      <legend style={{ fontSize: 13.5, fontWeight: 500 }}>{label}</legend>
      {pairs.map((p, n) => (
        <Group key={n} gap="xs" wrap="nowrap">
          <TextInput
            aria-label={`Name of the ${one}`}
            size="xs"
            w={200}
            value={p.name}
            onChange={(e) => change(n, { name: e.currentTarget.value })}
          />
          {hidden ? (
            <PasswordInput
              aria-label={`Value of the ${one}`}
              size="xs"
              style={{ flex: 1 }}
              placeholder={kept?.has(p.name) ? "stays as it is" : "its value"}
              value={p.value}
              onChange={(e) => change(n, { value: e.currentTarget.value })}
            />
          ) : (
            <TextInput
              aria-label={`Value of the ${one}`}
              size="xs"
              style={{ flex: 1 }}
              value={p.value}
              onChange={(e) => change(n, { value: e.currentTarget.value })}
            />
          )}
          <Button size="compact-xs" variant="default" onClick={() => set(pairs.filter((_, m) => m !== n))}>
            Take out
          </Button>
        </Group>
      ))}
      <Button size="compact-xs" variant="default" style={{ justifySelf: "start" }} onClick={() => set([...pairs, { name: "", value: "" }])}>
        Add a {one}
      </Button>
    </fieldset>
  );
}
