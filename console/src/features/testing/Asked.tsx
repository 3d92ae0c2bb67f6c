import { noteHere } from "./here";
import type { TestBuild } from "./queries";
import "./testing.css";

/** What testers are asked to look at, in their language where somebody wrote it. */
export function Asked({ notes }: { notes: TestBuild["notes"] }) {
  const note = noteHere(notes);
  if (!note) return null;
  return (
    <div className="asked" lang={note.language}>
      <b>Please look at</b>
      {note.text}
    </div>
  );
}
