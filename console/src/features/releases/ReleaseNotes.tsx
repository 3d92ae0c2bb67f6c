import { Button, Group, Select, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";

import { plural } from "../../ui/format";
import { Failure, Panel } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { type Release, type ReleaseNote, useChangeRelease, useNotesDraft } from "./queries";

/** Notes for players and for testers, each in its language; commits only begin them. */
export function ReleaseNotes({ title, release }: { title: string; release: Release }) {
  const [editing, edit] = useState<ReleaseNote | null>(null);
  const may = release.allowed_actions.find((a) => a.name === "change")?.possible;
  const fresh: ReleaseNote = { audience: "players", language: "en", text: "", by: "", at: null };
  return (
    <Panel
      title="Notes"
      aside={
        may &&
        !editing && (
          <Button size="compact-xs" variant="subtle" onClick={() => edit(fresh)}>
            Write notes
          </Button>
        )
      }
    >
      {editing ? (
        <Write title={title} release={release} note={editing} close={() => edit(null)} />
      ) : release.notes.length === 0 ? (
        <span className="dim">No notes yet: what is new for players, and what should testers look at?</span>
      ) : (
        release.notes.map((note) => (
          <div key={`${note.audience} ${note.language}`} style={{ marginBottom: 12 }}>
            <b>
              For {note.audience}, {note.language}
            </b>{" "}
            <span className="dim">by {note.by}</span>{" "}
            {may && (
              <Button size="compact-xs" variant="subtle" onClick={() => edit(note)}>
                Edit
              </Button>
            )}
            <div style={{ whiteSpace: "pre-wrap" }}>{note.text}</div>
          </div>
        ))
      )}
    </Panel>
  );
}

function Write({ title, release, note, close }: { title: string; release: Release; note: ReleaseNote; close: () => void }) {
  const change = useChangeRelease(title, release.number);
  const channels = useChannels(title);
  const [text, setText] = useState(note.text);
  const [audience, setAudience] = useState(note.audience);
  const [language, setLanguage] = useState(note.language);
  const [since, setSince] = useState("");
  const draft = useNotesDraft(title, release.number, since);
  const save = () => change.mutate({ path: "notes", method: "PUT", body: { audience, language, text } }, { onSuccess: close });
  return (
    <div className="halves" style={{ marginTop: 0 }}>
      <div>
        <Group gap="sm" mb="xs">
          <Select
            label="For"
            w={140}
            data={["players", "testers"]}
            value={audience}
            onChange={(value) => value && setAudience(value as ReleaseNote["audience"])}
          />
          <TextInput label="Language" w={120} value={language} onChange={(e) => setLanguage(e.currentTarget.value)} />
        </Group>
        <Textarea label="Text" autosize minRows={5} value={text} onChange={(e) => setText(e.currentTarget.value)} />
        {change.error && <Failure error={change.error} retry={save} />}
        <Group gap="xs" mt="xs">
          <Button size="compact-sm" onClick={save} loading={change.isPending}>
            Save notes
          </Button>
          <Button size="compact-sm" variant="default" onClick={close}>
            Keep as they were
          </Button>
        </Group>
      </div>
      <div>
        <Select
          label="Commits since what is live on"
          placeholder="a channel"
          data={(channels.data?.items ?? []).map((c) => c.name)}
          value={since || null}
          onChange={(value) => setSince(value ?? "")}
        />
        {draft.data && (
          <>
            <ul className="dim" style={{ paddingLeft: 18, margin: "8px 0" }}>
              {draft.data.subjects.map((s, i) => (
                <li key={`${i} ${s}`}>{s}</li>
              ))}
            </ul>
            {draft.data.left > 0 && <p className="dim">and {plural(draft.data.left, "more commit")}</p>}
            {draft.data.subjects.length === 0 ? (
              <p className="dim">No commits are known between the two.</p>
            ) : (
              <Button size="compact-xs" variant="default" onClick={() => setText(draft.data.subjects.map((s) => `- ${s}`).join("\n"))}>
                Begin the text from them
              </Button>
            )}
          </>
        )}
      </div>
    </div>
  );
}
