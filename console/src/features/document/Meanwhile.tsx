import { Button } from "@mantine/core";

import type { Schemas } from "../../app/http";
import { Failure, Panel } from "../../ui/parts";
import { Difference } from "./Difference";
import { useReplaceDraft } from "./queries";
import "./document.css";

/** Somebody was faster: both changes side by side, and the text that has both. Nothing is lost either way. */
export function Meanwhile({ title, meanwhile }: { title: string; meanwhile: Schemas["MergedOut"] }) {
  const replace = useReplaceDraft(title);
  const take = () => replace.mutate({ document: meanwhile.document, base: meanwhile.revision });
  return (
    <Panel title={`Revision ${meanwhile.revision} was made meanwhile by ${meanwhile.by}`} aside={meanwhile.message} flush>
      <div style={{ padding: "10px 14px", display: "flex", gap: 12, alignItems: "center", flexWrap: "wrap", fontSize: 13.5 }}>
        <span>
          {meanwhile.clashes.length === 0
            ? "You changed different places: both changes go together."
            : `In ${meanwhile.clashes.length} ${meanwhile.clashes.length === 1 ? "place" : "places"} you both changed the same lines. Taken together, yours stay there; look at theirs below.`}
        </span>
        <Button size="xs" variant="filled" loading={replace.isPending} onClick={take}>
          Take both changes together
        </Button>
      </div>
      {replace.error && <Failure error={replace.error} />}
      {meanwhile.clashes.map((c) => (
        <div key={c.line} className="difference mono" style={{ borderTop: "1px solid var(--r-line)" }}>
          <div className="place">line {c.line}: theirs, then yours</div>
          <div className="went" style={{ whiteSpace: "pre-wrap" }}>
            {c.theirs}
          </div>
          <div className="came" style={{ whiteSpace: "pre-wrap" }}>
            {c.mine}
          </div>
        </div>
      ))}
      <p className="dim" style={{ padding: "0 14px", margin: "8px 0 0", fontSize: 13 }}>
        What they changed since revision {meanwhile.base}:
      </p>
      <Difference text={meanwhile.theirs} />
      <p className="dim" style={{ padding: "0 14px", margin: "8px 0 0", fontSize: 13 }}>
        What you changed since then:
      </p>
      <Difference text={meanwhile.mine} />
    </Panel>
  );
}
