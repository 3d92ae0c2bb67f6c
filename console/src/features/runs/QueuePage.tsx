import { Link } from "react-router";

import { duration } from "../../ui/format";
import { Answer, Empty, PageHead, Panel, When } from "../../ui/parts";
import { Progress, RunState, StepOf } from "./parts";
import { useQueue } from "./queries";
import "./runs.css";

/** What waits for what, and why? Of all titles. */
export function QueuePage() {
  const queue = useQueue();
  return (
    <>
      <PageHead
        title="Queue"
        aside={
          queue.data && (
            <span className="dim">
              last true <When at={queue.data.at} />
            </span>
          )
        }
      >
        Runs are given to agents that can do them, oldest first.
      </PageHead>
      <Answer of={queue} rows={6}>
        {(data) => (
          <>
            <Panel title="Runs" aside={`${data.items.length} open`} flush>
              {data.items.length === 0 ? (
                <Empty command="bin/rampa run start PROFILE">Nothing waits and nothing is worked on.</Empty>
              ) : (
                <table className="rows">
                  <thead>
                    <tr>
                      <th className="number wide">Place</th>
                      <th>Run</th>
                      <th>State</th>
                      <th>Step, or what it waits for</th>
                      <th className="number wide">So far</th>
                      <th className="wide">Left</th>
                    </tr>
                  </thead>
                  <tbody>
                    {data.items.map(({ title, run, place }) => (
                      <tr key={`${title} ${run.number}`}>
                        <td className="number wide">{place || ""}</td>
                        <td>
                          <Link to={`/titles/${title}/runs/${run.number}`} style={{ fontWeight: 600 }}>
                            {title} {run.number}
                          </Link>{" "}
                          {run.profile}
                        </td>
                        <td>
                          <RunState state={run.state} />
                        </td>
                        <td>
                          {run.waits_for || (
                            <>
                              {run.step && <StepOf run={run} />} <span className="dim">on {run.agent}</span>
                            </>
                          )}
                        </td>
                        <td className="number wide">{run.taken_at ? duration(run.seconds) : ""}</td>
                        <td className="wide">
                          <Progress run={run} heard={queue.dataUpdatedAt} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              )}
            </Panel>
            <div style={{ marginTop: 16 }}>
              <Panel title="Agents" aside={<Link to="/agents">all about them</Link>} flush>
                {data.agents.length === 0 ? (
                  <Empty command="bin/rampa agent enrol NAME">
                    No agent is there, so every run waits. Start one on a machine with the toolchain:
                  </Empty>
                ) : (
                  <table className="rows">
                    <tbody>
                      {data.agents.map((a) => (
                        <tr key={a.name}>
                          <td>
                            <b>{a.name}</b>
                          </td>
                          <td>{a.state}</td>
                          <td className="number">
                            {a.busy} of {a.at_once} busy
                          </td>
                        </tr>
                      ))}
                    </tbody>
                  </table>
                )}
              </Panel>
            </div>
          </>
        )}
      </Answer>
    </>
  );
}
