import { Button, CopyButton, Group, Modal, TextInput } from "@mantine/core";
import { useState } from "react";

import { call, type Schemas } from "../../app/http";
import { capital, exact, plural } from "../../ui/format";
import { Answer, Command, Empty, Failure, PageHead, Panel } from "../../ui/parts";
import { type Ending, useCalendar, useCalendarAct } from "./queries";

/** What of the studio ends when, and what puts it off? */
export function CalendarPage() {
  const found = useCalendar();
  const [writing, write] = useState(false);
  const may = found.data?.allowed_actions.find((a) => a.name === "agree");
  return (
    <>
      <PageHead
        title="Calendar"
        aside={
          <>
            <Command text="bin/rampa calendar list" />
            <Button disabled={!may?.possible} title={may?.reason} onClick={() => write(true)}>
              Write an agreement down …
            </Button>
          </>
        }
      >
        What of the studio ends when. Owners are reminded by letter{found.data && ` at ${found.data.reminded_at.join(", ")} days`}.
      </PageHead>
      <Panel title="Ends" aside="the first first" flush>
        <Answer of={found}>
          {(data) => (data.items.length ? <Rows rows={data.items} /> : <Empty>Nothing of the studio ends.</Empty>)}
        </Answer>
      </Panel>
      <div style={{ marginTop: 16 }}>
        <FeedPanel has={Boolean(found.data?.feed)} />
      </div>
      {writing && <Agree close={() => write(false)} />}
    </>
  );
}

function Rows({ rows }: { rows: Ending[] }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Left</th>
          <th>What</th>
          <th>Ends</th>
          <th className="wide">Put it off with</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={`${row.kind} ${row.name} ${row.ends}`}>
            <td className="tight">
              {row.over ? (
                <span className="severity blocker">
                  <span aria-hidden>■</span> over
                </span>
              ) : row.days <= 30 ? (
                <span className="severity warning">
                  <span aria-hidden>▲</span> {plural(row.days, "day")}
                </span>
              ) : (
                plural(row.days, "day")
              )}
            </td>
            <td>
              {row.name} <span className="dim">{capital(row.words)}</span>
            </td>
            <td className="tight">
              <time dateTime={row.ends} title={exact(row.ends)}>
                {new Date(row.ends).toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", year: "numeric" })}
              </time>
            </td>
            <td className="wide">
              {row.mend.startsWith("rampa ") ? <Command text={`bin/${row.mend}`} /> : <span className="dim">{row.mend}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function FeedPanel({ has }: { has: boolean }) {
  const make = useCalendarAct(() => call<Schemas["FeedAddress"]>("/calendar/feed", { method: "POST" }));
  const end = useCalendarAct(() => call<void>("/calendar/feed", { method: "DELETE" }));
  return (
    <Panel title="In your own calendar program">
      <p style={{ marginTop: 0 }}>
        An address of your own, as iCalendar (RFC 5545). Whoever has it reads the calendar; it is shown once
        {has && ". You have one: a new one ends it"}.
      </p>
      {make.data && (
        <div className="headline done">
          <span className="mono">{make.data.address}</span>{" "}
          <CopyButton value={make.data.address}>
            {({ copied, copy }) => (
              <Button size="compact-xs" variant="default" onClick={copy}>
                {copied ? "Copied" : "Copy"}
              </Button>
            )}
          </CopyButton>
        </div>
      )}
      {(make.error || end.error) && <Failure error={make.error ?? end.error} />}
      <Group gap="sm">
        <Button variant="default" loading={make.isPending} onClick={() => make.mutate(undefined)}>
          {has ? "Make a new address" : "Make an address"}
        </Button>
        {has && (
          <Button variant="default" loading={end.isPending} onClick={() => end.mutate(undefined)}>
            End it
          </Button>
        )}
      </Group>
    </Panel>
  );
}

function Agree({ close }: { close: () => void }) {
  const [name, setName] = useState("");
  const [partner, setPartner] = useState("");
  const [until, setUntil] = useState("");
  const keep = useCalendarAct((body: Schemas["NewAgreement"]) => call("/calendar/agreements", { method: "POST", body }));
  const send = () => keep.mutate({ name, partner, ends_at: new Date(`${until}T00:00`).toISOString(), note: "" }, { onSuccess: close });
  return (
    <Modal opened onClose={close} title={<b>Write an agreement down</b>}>
      <TextInput label="Its short name" placeholder="northquay-terms" value={name} onChange={(e) => setName(e.currentTarget.value)} />
      <TextInput label="With whom" mt="sm" value={partner} onChange={(e) => setPartner(e.currentTarget.value)} />
      <TextInput type="date" label="Its last day" mt="sm" value={until} onChange={(e) => setUntil(e.currentTarget.value)} />
      {keep.error && <Failure error={keep.error} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Write nothing down
        </Button>
        <Button disabled={!name || !partner || !until} loading={keep.isPending} onClick={send}>
          Write it down
        </Button>
      </Group>
    </Modal>
  );
}
