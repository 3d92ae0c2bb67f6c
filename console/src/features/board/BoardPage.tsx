import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { exact, plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel, Soon, When } from "../../ui/parts";
import { BoardCell } from "./BoardCell";
import "./board.css";
import { type Board, type BoardLine, type BoardTitle, useBoard } from "./queries";
import { TimeSlider } from "./TimeSlider";

const SEEN = "rampa.board.seen";

/** What is live where, how does it go, and what waits? */
export function BoardPage() {
  const [asked, ask] = useSearchParams();
  const at = asked.get("at") ?? "";
  const [since] = useState(() => localStorage.getItem(SEEN) ?? "");
  const board = useBoard(at);
  const shown = board.data?.at;
  // What was new stays marked while the page is open; the next visit begins from here.
  useEffect(() => {
    if (!at && shown) localStorage.setItem(SEEN, shown);
  }, [at, shown]);
  return (
    <>
      <PageHead title="Board" aside={<Link to="/propose">Begin a title</Link>}>
        {shown && (at ? `As it was at ${exact(shown)}.` : "What is live where now.")}{" "}
        {!at && since && (
          <>
            Bold with a bar: new since you looked, <When at={since} />.
          </>
        )}
      </PageHead>
      <Answer of={board} rows={6}>
        {(data) =>
          data.titles.length === 0 ? (
            <Panel title="Titles">
              <Empty command="bin/rampa title import FOLDER">
                There is no title {at ? "then" : "yet"}. A title begins with its profile document, rampa.toml; import the folder that holds
                it.
              </Empty>
            </Panel>
          ) : (
            <>
              <TimeSlider changes={data.changes} at={at} go={(moment) => ask(moment ? { at: moment } : {}, { replace: true })} />
              <div style={{ display: "grid", gap: 16 }}>
                {data.titles.map((title) => (
                  <Title key={title.slug} title={title} past={Boolean(at)} since={at ? "" : since} />
                ))}
              </div>
              <Changes board={data} />
            </>
          )
        }
      </Answer>
    </>
  );
}

function Title({ title, past, since }: { title: BoardTitle; past: boolean; since: string }) {
  return (
    <Panel
      title={
        <Link to={`/titles/${title.slug}`} style={{ fontWeight: 600 }}>
          {title.name}
        </Link>
      }
      aside={<span className="mono wide">{title.identifier}</span>}
      flush
    >
      {title.lines.length === 0 ? (
        <div className="dim" style={{ padding: 14 }}>
          Nothing was placed or built for players {past ? "by then" : "yet"}.
        </div>
      ) : (
        <div className="board-scroll" tabIndex={0} role="region" aria-label={`Board of ${title.name}`}>
          <table className="rows board">
            <thead>
              <tr>
                <th>Line</th>
                {title.channels.map((channel) => (
                  <th key={channel}>
                    <Link to={`/titles/${title.slug}/channels/${channel}`}>{channel}</Link>
                  </th>
                ))}
                {!past && <th>Waits</th>}
              </tr>
            </thead>
            <tbody>
              {title.lines.map((line) => (
                <tr key={line.line}>
                  <th scope="row">{line.line}</th>
                  {line.cells.map((cell) => (
                    <td key={cell.channel} data-head={cell.builds.length ? cell.channel : undefined}>
                      <BoardCell title={title.slug} channel={cell.channel} builds={cell.builds} since={since} />
                    </td>
                  ))}
                  {!past && (
                    <td data-head={line.waits || line.stops || line.reviews.length ? "waits" : undefined}>
                      <Waits title={title.slug} line={line} />
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {title.scheduled.map((one) => (
        <Planned key={one.number} title={title.slug} one={one} />
      ))}
    </Panel>
  );
}

function Planned({ title, one }: { title: string; one: BoardTitle["scheduled"][number] }) {
  return (
    <div className="board-planned">
      {one.refused ? (
        <>
          <span className="severity blocker">
            <span aria-hidden>■</span> did not go
          </span>{" "}
          {one.what} to {one.channel}: {one.said}{" "}
        </>
      ) : (
        <>
          <span aria-hidden>…</span> {one.what} goes to {one.channel} {one.at ? <Soon at={one.at} /> : "when its gates open"}.{" "}
          {one.said && <span className="dim">{one.said} </span>}
        </>
      )}
      {one.build && <Link to={`/titles/${title}/channels/${one.channel}/place/${one.build}`}>Place it now …</Link>}
      {one.release && <Link to={`/titles/${title}/releases/${one.release}/place/${one.channel}`}>Place it now …</Link>}
    </div>
  );
}

function Waits({ title, line }: { title: string; line: BoardLine }) {
  return (
    <>
      {line.waits > 0 && (
        <div>
          <Link to={`/titles/${title}/builds/${line.waits}`}>#{line.waits}</Link> {line.waits_version}
        </div>
      )}
      {line.reviews.map((review) => (
        <div key={review.submission}>
          {review.asks && (
            <span className="severity warning">
              <span aria-hidden>▲</span>
            </span>
          )}{" "}
          <Link to={`/titles/${title}/submissions/${review.submission}`}>#{review.build}</Link> {review.words} at {review.storefront}
        </div>
      ))}
      {line.stops && (
        <div className="board-stops">
          <span className="severity blocker">
            <span aria-hidden>■</span> stopped
          </span>{" "}
          {line.stops}
        </div>
      )}
    </>
  );
}

function Changes({ board }: { board: Board }) {
  const [all, show] = useState(false);
  const shown = all ? board.changes : board.changes.slice(0, 8);
  if (board.changes.length === 0) return null;
  return (
    <div style={{ marginTop: 16 }}>
      <Panel title="What changed" aside="newest first" flush>
        <table className="rows board-changes">
          <tbody>
            {shown.map((c) => (
              <tr key={`${c.at} ${c.title} ${c.channel} ${c.line} ${c.build} ${c.state} ${c.share}`}>
                <td className="tight">
                  <When at={c.at} />
                </td>
                <td>
                  <Link to={`/titles/${c.title}/builds/${c.build}`}>{`${c.title}#${c.build}`}</Link> on {c.channel}, {c.line}:{" "}
                  <b>{c.state === "growing" ? `growing, ${c.share} %` : c.state}</b>
                  {c.why && <span className="dim"> {c.why}</span>}
                </td>
                <td className="wide tight dim">{c.by}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {board.changes.length > shown.length && (
          <button type="button" className="board-more" onClick={() => show(true)}>
            Show {plural(board.changes.length - shown.length, "more change")}
          </button>
        )}
      </Panel>
    </div>
  );
}
