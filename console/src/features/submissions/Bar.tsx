import { Progress } from "@mantine/core";

import { bytes } from "../../ui/format";
import type { SubmissionRow } from "./queries";

/** What is sent already, how fast, and the time that is left. */
export function Bar({ upload }: { upload: NonNullable<SubmissionRow["upload"]> }) {
  const left = upload.left === null ? "" : `, ${Math.max(1, Math.round(upload.left))} s left`;
  const rate = upload.rate > 0 ? `, ${bytes(Math.round(upload.rate))}/s${left}` : "";
  return (
    <div>
      <Progress value={(100 * upload.sent) / Math.max(1, upload.size)} aria-label="Sent" size="sm" style={{ maxWidth: 260 }} />
      <span className="dim">
        {bytes(upload.sent)} of {bytes(upload.size)}
        {rate}
      </span>
    </div>
  );
}
