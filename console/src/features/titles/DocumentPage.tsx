import { Button } from "@mantine/core";
import { useParams, useSearchParams } from "react-router";

import { Answer, Command, PageHead, Panel, When } from "../../ui/parts";
import { useRevision, useRevisions, useTitle } from "./queries";

/** How is this title built, and who changed that when? */
export function DocumentPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const revisions = useRevisions(title);
  const { data: found } = useTitle(title);
  const shown = Number(search.get("revision")) || found?.revision;
  const text = useRevision(title, shown);
  return (
    <>
      <PageHead title={`Profile document of ${found?.name ?? title}`} aside={<Command text={`bin/rampa title import FOLDER`} />}>
        Every platform in one text. Edit it in the source folder and import it again: each import is a revision.
      </PageHead>
      <div style={{ display: "grid", gridTemplateColumns: "minmax(0,1fr) minmax(240px, 330px)", gap: 16 }} className="document">
        <Panel title={`Revision ${shown ?? ""}`} flush>
          <Answer of={text} rows={16}>
            {(revision) => (
              <div style={{ maxHeight: "calc(100vh - 190px)", overflowY: "auto" }} tabIndex={0} role="region" aria-label="The document's text">
                <Numbered text={revision.document} />
              </div>
            )}
          </Answer>
        </Panel>
        <Panel title="Revisions" flush>
          <Answer of={revisions} rows={3}>
            {({ items }) => (
              <table className="rows">
                <tbody>
                  {items.map((r) => (
                    <tr key={r.number}>
                      <td style={{ padding: "8px 14px" }}>
                        <Button
                          size="compact-xs"
                          variant={r.number === shown ? "light" : "subtle"}
                          onClick={() => setSearch({ revision: String(r.number) })}
                        >
                          Revision {r.number}
                        </Button>
                        <div>{r.message || <span className="dim">No message.</span>}</div>
                        <div className="dim">
                          {r.created_by}, <When at={r.created_at} />
                        </div>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </Answer>
        </Panel>
      </div>
    </>
  );
}

function Numbered({ text }: { text: string }) {
  return (
    <pre className="mono" style={{ margin: 0, padding: "10px 0", lineHeight: 1.55 }}>
      {text.replace(/\n$/, "").split("\n").map((line, i) => (
        <div key={i} style={{ display: "flex", gap: 14, padding: "0 14px" }}>
          <span className="dim" style={{ width: 26, textAlign: "right", userSelect: "none", flexShrink: 0 }}>
            {i + 1}
          </span>
          <span style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{line || " "}</span>
        </div>
      ))}
    </pre>
  );
}
