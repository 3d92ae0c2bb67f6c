import { duration } from "../../ui/format";
import { Answer, Panel } from "../../ui/parts";
import { useTimes } from "./queries";
import { TimesPicture } from "./TimesPicture";

/** How long first verdicts took, week by week; the table behind the chart stands below it. */
export function TimesPanel() {
  const times = useTimes();
  return (
    <Panel title="Times to the first verdict" aside="of the last half year">
      <Answer of={times} rows={3}>
        {(data) =>
          data.weeks.length === 0 ? (
            <span className="dim">No verdict yet.</span>
          ) : (
            <>
              {data.all && (
                <p style={{ marginTop: 0 }}>
                  Usually after {duration(data.all.median)}; half of {data.all.count} between {duration(data.all.low)} and{" "}
                  {duration(data.all.high)}.
                </p>
              )}
              <TimesPicture weeks={data.weeks} />
              <details>
                <summary className="dim">As a table</summary>
                <table className="rows">
                  <thead>
                    <tr>
                      <th>Week from</th>
                      <th className="number">Verdicts</th>
                      <th className="number">Late</th>
                      <th>Usually after</th>
                    </tr>
                  </thead>
                  <tbody>
                    {data.weeks.map((w) => (
                      <tr key={w.monday}>
                        <td>{w.monday}</td>
                        <td className="number">{w.count}</td>
                        <td className="number">{w.late}</td>
                        <td>{w.usual ? duration(w.usual.median) : ""}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </details>
            </>
          )
        }
      </Answer>
    </Panel>
  );
}
