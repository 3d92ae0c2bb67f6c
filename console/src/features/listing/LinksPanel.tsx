import { Button } from "@mantine/core";

import { Answer, Empty, Failure, Panel, When } from "../../ui/parts";
import { useLinks, useLookAtLinks } from "./queries";

const WORDS: Record<string, { mark: string; kind: string; said: string }> = {
  unknown: { mark: "●", kind: "note", said: "not looked at yet" },
  good: { mark: "✓", kind: "done", said: "answers" },
  failing: { mark: "▲", kind: "warning", said: "fails" },
  dead: { mark: "■", kind: "blocker", said: "dead" },
  refused: { mark: "■", kind: "blocker", said: "leads inside" },
};

/** Do the pages answer that players are sent to? */
export function LinksPanel({ title }: { title: string }) {
  const links = useLinks(title);
  const look = useLookAtLinks(title);
  return (
    <Panel
      title="Links"
      aside={
        <Button size="compact-xs" variant="default" loading={look.isPending} onClick={() => look.mutate(undefined)}>
          Look now
        </Button>
      }
      flush
    >
      {look.error && <Failure error={look.error} />}
      <Answer of={links} rows={3}>
        {(data) =>
          data.items.length ? (
            <>
              <table className="rows">
                <thead>
                  <tr>
                    <th>Address</th>
                    <th className="wide">Said in</th>
                    <th>State</th>
                    <th className="wide">Looked at</th>
                  </tr>
                </thead>
                <tbody>
                  {data.items.map((link) => (
                    <tr key={link.address}>
                      <td className="path">{link.address}</td>
                      <td className="wide mono">{link.where}</td>
                      <td>
                        <State state={link.state} />
                        {link.said && <div className="dim">{link.said}</div>}
                      </td>
                      <td className="wide">{link.looked_at ? <When at={link.looked_at} /> : ""}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <p className="dim" style={{ padding: "0 14px", fontSize: 12.5 }}>
                Looked at every {data.every} days, and every hour while one fails; after a day of failing it counts as dead.
              </p>
            </>
          ) : (
            <Empty>The listing names no link.</Empty>
          )
        }
      </Answer>
    </Panel>
  );
}

function State({ state }: { state: string }) {
  const words = WORDS[state] ?? WORDS.unknown!;
  return (
    <span className={words.kind === "done" ? "came" : `severity ${words.kind}`}>
      <span aria-hidden>{words.mark}</span> {words.said}
    </span>
  );
}
