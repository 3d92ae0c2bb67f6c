import { Button, FileButton, Modal, Group as Row, Select, Switch, Textarea } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { call } from "../../app/http";
import { plural } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { type Group, type Preview, previewList, useChange } from "./queries";
import "./testers.css";

/** Many people at once: paste a list or take a CSV; each line that is wrong says why before anything is sent. */
export function InviteDialogue({ title, groups, close }: { title: string; groups: Group[]; close: () => void }) {
  const [group, setGroup] = useState(groups[0]?.name ?? "");
  const [addresses, setAddresses] = useState("");
  const [leaveOut, setLeaveOut] = useState(false);
  const [settled] = useDebouncedValue(addresses, 300);
  const seen = useQuery({
    queryKey: ["invite preview", title, group, settled],
    queryFn: () => previewList(title, group, settled),
    enabled: settled.trim() !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
  const invite = useChange(title, () =>
    call<Preview>(`/titles/${title}/groups/${group}/invitations`, { method: "POST", body: { addresses, leave_out_mistakes: leaveOut } }),
  );
  const preview = settled.trim() ? seen.data : undefined;
  const ready = preview && preview.new > 0 && preview.fits && (preview.wrong === 0 || leaveOut) && settled === addresses;
  return (
    <Modal opened onClose={close} size="lg" title={<b>Invite testers</b>}>
      <Select
        label="Into the group"
        data={groups.map((g) => g.name)}
        value={group}
        allowDeselect={false}
        onChange={(v) => v && setGroup(v)}
      />
      <Textarea
        label="People"
        description="One a line: an address, or a name and an address as mail programs and CSV files have them"
        placeholder={"Kaisa <kaisa@kilnyard.example>\nonni@kilnyard.example"}
        mt="sm"
        autosize
        minRows={5}
        maxRows={12}
        value={addresses}
        onChange={(e) => setAddresses(e.currentTarget.value)}
        data-autofocus
      />
      <Row mt={6}>
        <FileButton accept=".csv,.txt,text/csv,text/plain" onChange={(file) => void file?.text().then(setAddresses)}>
          {(props) => (
            <Button {...props} size="compact-sm" variant="default">
              Take a CSV file …
            </Button>
          )}
        </FileButton>
      </Row>
      {seen.error && settled.trim() && <Failure error={seen.error} />}
      {preview && <Seen preview={preview} leaveOut={leaveOut} setLeaveOut={setLeaveOut} />}
      {invite.error && <Failure error={invite.error} />}
      <Row justify="flex-end" mt="md">
        <Button variant="default" onClick={close}>
          Invite nobody
        </Button>
        <Button
          variant="filled"
          disabled={!ready}
          loading={invite.isPending}
          onClick={() => invite.mutate(undefined, { onSuccess: close })}
        >
          Invite {plural(preview?.new ?? 0, "person", "people")}
        </Button>
      </Row>
    </Modal>
  );
}

function Seen({ preview, leaveOut, setLeaveOut }: { preview: Preview; leaveOut: boolean; setLeaveOut: (on: boolean) => void }) {
  const there = [
    preview.members > 0 && `${preview.members} in the group already`,
    preview.invited > 0 && `${preview.invited} invited, whose link is still good`,
  ].filter(Boolean);
  return (
    <div style={{ marginTop: 12 }}>
      <b>{plural(preview.new, "new person", "new people")}</b>
      {there.length > 0 && <span className="dim">, {there.join(", ")}</span>}
      {preview.seats > 0 && (
        <span className={preview.fits ? "dim" : "severity blocker"}>
          {" "}
          · {preview.free} of {preview.seats} seats are free{preview.fits ? "" : ": not enough"}
        </span>
      )}
      {preview.wrong > 0 && (
        <>
          <section className="mistakes" aria-label="Lines that are wrong" tabIndex={0}>
            <table className="rows">
              <tbody>
                {preview.mistakes.map((m) => (
                  <tr key={m.line}>
                    <td className="number dim">line {m.line}</td>
                    <td className="path">{m.text}</td>
                    <td>{m.said}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
          {preview.wrong > preview.mistakes.length && <p className="dim">… and {preview.wrong - preview.mistakes.length} more.</p>}
          <Switch
            label={`Leave ${plural(preview.wrong, "wrong line", "wrong lines")} out, and invite the others`}
            checked={leaveOut}
            onChange={(e) => setLeaveOut(e.currentTarget.checked)}
          />
        </>
      )}
    </div>
  );
}
