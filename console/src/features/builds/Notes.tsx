import { Button, Group, Textarea } from "@mantine/core";
import { useState } from "react";

import { Failure, Panel } from "../../ui/parts";
import { type Build, useNotes } from "./queries";

/** What testers should know; edited in place. */
export function Notes({ build, title }: { build: Build; title: string }) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = useNotes(title, build.number);
  const store = () => save.mutate(draft ?? "", { onSuccess: () => setDraft(null) });
  return (
    <Panel
      title="Notes"
      aside={
        draft === null && (
          <Button size="compact-xs" variant="subtle" onClick={() => setDraft(build.notes)}>
            Edit notes
          </Button>
        )
      }
    >
      {draft === null ? (
        <div style={{ whiteSpace: "pre-wrap" }}>
          {build.notes || <span className="dim">No notes yet: what should testers look at?</span>}
        </div>
      ) : (
        <>
          <Textarea
            aria-label="Notes"
            autosize
            minRows={2}
            maxLength={4000}
            value={draft}
            onChange={(e) => setDraft(e.currentTarget.value)}
            autoFocus
          />
          {save.error && <Failure error={save.error} retry={store} />}
          <Group gap="xs" mt="xs">
            <Button size="compact-sm" variant="filled" onClick={store} loading={save.isPending}>
              Save notes
            </Button>
            <Button size="compact-sm" variant="default" onClick={() => setDraft(null)}>
              Keep as they were
            </Button>
          </Group>
        </>
      )}
    </Panel>
  );
}
