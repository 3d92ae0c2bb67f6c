import "./listing.css";

import type { Change } from "./queries";

const isPicture = (file: string) => file.startsWith("pictures/");

/** What differs between two states, value by value; the words of each as a whole. */
export function Changes({ changes }: { changes: Change[] }) {
  if (!changes.length)
    return (
      <p className="dim" style={{ padding: "0 14px" }}>
        They say the same.
      </p>
    );
  return (
    <div>
      {changes.map((c) => (
        <div className="change" key={`${c.file} ${c.path.join(".")}`}>
          <b>{c.file}</b> <span className="mono">{c.path.join(".")}</span>
          {isPicture(c.file) ? (
            <div className="dim">{c.after === null ? "taken out" : c.before === null ? "put in" : "another picture"}</div>
          ) : (
            <>
              {c.before !== null && <pre className="went">− {c.before}</pre>}
              {c.after !== null && <pre className="came">+ {c.after}</pre>}
            </>
          )}
        </div>
      ))}
    </div>
  );
}
