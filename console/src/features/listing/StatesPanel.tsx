import "../document/document.css";

import { Button } from "@mantine/core";
import { useSearchParams } from "react-router";

import { Answer, Empty, Panel, When } from "../../ui/parts";
import { altered } from "../../ui/search";
import { Changes } from "./Changes";
import { useStateChange, useStates } from "./queries";

/** Who changed what, when and why? */
export function StatesPanel({ title }: { title: string }) {
  const [search, setSearch] = useSearchParams();
  const states = useStates(title);
  const shown = Number(search.get("state")) || states.data?.items[0]?.number;
  const against = Number(search.get("against")) || undefined;
  const change = useStateChange(title, shown, against);
  return (
    <div className="halves" style={{ marginTop: 0 }}>
      <Panel title={shown ? (against ? `State ${shown} beside state ${against}` : `What state ${shown} changed`) : "Changes"} flush>
        {shown ? (
          <Answer of={change} rows={8}>
            {(data) => <Changes changes={data.changes} />}
          </Answer>
        ) : (
          <Empty>Nothing was saved yet.</Empty>
        )}
      </Panel>
      <Panel title="States" flush>
        <Answer of={states} rows={4}>
          {({ items }) => (
            <ul className="scroll" style={{ listStyle: "none", margin: 0, padding: 0 }} aria-label="States">
              {items.map((s) => (
                <li key={s.number} style={{ padding: "8px 14px", borderTop: "1px solid var(--r-line)" }}>
                  <Button
                    size="compact-xs"
                    variant={s.number === shown ? "light" : "subtle"}
                    aria-current={s.number === shown ? "true" : undefined}
                    onClick={() => setSearch((now) => altered(now, { state: String(s.number), against: null }))}
                  >
                    State {s.number}
                  </Button>
                  <div style={{ overflowWrap: "anywhere" }}>{s.message || <span className="dim">No message.</span>}</div>
                  <div className="dim">
                    {s.created_by}, <When at={s.created_at} />
                    {s.commit && (
                      <>
                        , commit <span className="mono">{s.commit.slice(0, 12)}</span>
                      </>
                    )}
                  </div>
                </li>
              ))}
            </ul>
          )}
        </Answer>
      </Panel>
    </div>
  );
}
