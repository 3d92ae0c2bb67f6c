import { Button, Group, Modal, Textarea } from "@mantine/core";
import { type FormEvent, useState } from "react";

import type { Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { useSession } from "../session/queries";
import { useGateAct } from "./queries";

type Gate = Schemas["GateOut"];

const SHAPES = { passed: "○ passed", waived: "◇ waived", closed: "■ closed" } as const;
const COLOURS = { passed: "var(--r-done)", waived: "var(--r-warning)", closed: "var(--r-blocker)" } as const;

interface Props {
  title: string;
  channel: string;
  build: number;
  gates: Gate[];
}

/** How the channel's gates stand for a build, and what opens them. */
export function Gates({ title, channel, build, gates }: Props) {
  const { data: session } = useSession();
  const approve = useGateAct(title, channel, build);
  const [waiving, waive] = useState<Gate>();
  if (gates.length === 0) return null;
  const closed = gates.filter((g) => g.state === "closed");
  const role = session?.titles[title] ?? session?.person.role;
  return (
    <div style={{ marginBottom: 14 }}>
      {closed.length > 0 && <b>{closed.length === 1 ? "A gate is closed:" : `${closed.length} gates are closed:`}</b>}
      {approve.error && <Failure error={approve.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Gate</th>
            <th>State</th>
            <th>What is missing</th>
            {closed.length > 0 && <th>Act</th>}
          </tr>
        </thead>
        <tbody>
          {gates.map((gate) => (
            <tr key={gate.gate}>
              <td>{gate.said}</td>
              <td className="tight" style={{ color: COLOURS[gate.state] }}>
                {SHAPES[gate.state]}
              </td>
              <td>
                {gate.state === "closed" && (
                  <>
                    {gate.missing}.{" "}
                    <span className="dim">
                      {gate.who}: {gate.where}
                    </span>
                  </>
                )}
                {gate.waived && (
                  <>
                    {gate.waived.reason} <span className="dim">waived by {gate.waived.waived_by}</span>
                  </>
                )}
              </td>
              {closed.length > 0 && (
                <td className="tight">
                  {gate.state === "closed" && gate.gate === "approvals" && (
                    <Button
                      size="compact-xs"
                      variant="default"
                      disabled={role !== "owner" && role !== "engineer"}
                      loading={approve.isPending}
                      onClick={() => approve.mutate({ act: "approval" })}
                    >
                      Approve
                    </Button>
                  )}{" "}
                  {gate.state === "closed" && role === "owner" && (
                    <Button size="compact-xs" variant="default" aria-label={`Waive ${gate.gate}`} onClick={() => waive(gate)}>
                      Waive …
                    </Button>
                  )}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {waiving && <Waive title={title} channel={channel} build={build} gate={waiving} close={() => waive(undefined)} />}
    </div>
  );
}

function Waive({ title, channel, build, gate, close }: Omit<Props, "gates"> & { gate: Gate; close: () => void }) {
  const act = useGateAct(title, channel, build);
  const [reason, setReason] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    act.mutate({ act: "waiver", body: { gate: gate.gate, reason } }, { onSuccess: close });
  };
  return (
    <Modal opened onClose={close} title={`Waive a gate for #${build}`}>
      <form onSubmit={send}>
        <p style={{ marginTop: 0 }}>
          {channel} wants: {gate.said}. Waived, this build passes without it, and your name and reason stay with its placement for ever.
        </p>
        {act.error && <Failure error={act.error} />}
        <Textarea label="Reason" required minLength={5} data-autofocus value={reason} onChange={(e) => setReason(e.currentTarget.value)} />
        <Group justify="flex-end" mt="sm">
          <Button type="submit" variant="filled" loading={act.isPending}>
            Waive it
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
