import type { Key } from "./queries";

/** Whether it can sign now, in a few words; a shape beside them. */
export function Lock({ of }: { of: Key }) {
  if (of.outside) return <span className="dim">in the key module</span>;
  if (!of.protected) return <span className="dim">no passphrase</span>;
  if (of.unlocked_until)
    return (
      <span style={{ color: "var(--r-done)" }}>
        ○ unlocked until {new Date(of.unlocked_until).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}
      </span>
    );
  if (of.unlocked_runs.length) return <span style={{ color: "var(--r-done)" }}>○ for run {of.unlocked_runs.join(", ")}</span>;
  return <span style={{ color: "var(--r-warning)" }}>● locked</span>;
}
