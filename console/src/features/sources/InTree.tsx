import { Link } from "react-router";

import { Answer, Command } from "../../ui/parts";
import { useRevision, useTitle } from "../titles/queries";
import { useSeenDocument } from "./queries";

/** The profile document in the repository, or one proposed from its tree; and whether the newest revision says the same. */
export function InTree({ title, branch }: { title: string; branch: string }) {
  const seen = useSeenDocument(title);
  const { data: found } = useTitle(title);
  const newest = useRevision(title, found?.revision);
  return (
    <Answer of={seen} rows={8}>
      {(s) => (
        <div style={{ padding: 14, display: "grid", gap: 10 }}>
          <div>
            {s.found ? (
              <>
                This is rampa.toml on {branch}, commit <span className="mono">{s.commit.slice(0, 10)}</span>.{" "}
                {newest.data &&
                  (newest.data.document === s.document ? (
                    <>Revision {newest.data.number} is the same.</>
                  ) : (
                    <b>▲ Revision {newest.data.number} is another text.</b>
                  ))}
              </>
            ) : (
              <>
                There is no rampa.toml on {branch}. This one is proposed from the tree at{" "}
                <span className="mono">{s.commit.slice(0, 10)}</span>; each line says why.
              </>
            )}{" "}
            <Link to={`/titles/${title}/document`} style={{ textDecoration: "underline" }}>
              The title&apos;s revisions
            </Link>
          </div>
          <Command text={`bin/rampa source document --title ${title} > rampa.toml`} />
          <pre
            className="mono"
            tabIndex={0}
            aria-label="rampa.toml"
            style={{ margin: 0, maxHeight: 480, overflow: "auto", border: "1px solid var(--r-line)", padding: 10 }}
          >
            {s.document}
          </pre>
        </div>
      )}
    </Answer>
  );
}
