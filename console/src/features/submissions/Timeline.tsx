import { capital, duration } from "../../ui/format";
import { Panel, When } from "../../ui/parts";
import type { Submission } from "./queries";

type Stage = Submission["stages"][number];

/** Every state with its time, what comes next, and how long each takes usually. */
export function Timeline({ data }: { data: Submission }) {
  if (data.course === "dropped") return null;
  return (
    <Panel title="The way" aside="usually: the middle, and the middle half, of earlier ones" flush>
      <table className="rows">
        <thead>
          <tr>
            <th>Stage</th>
            <th>From</th>
            <th className="number">Took</th>
            <th className="wide">Usually takes</th>
          </tr>
        </thead>
        <tbody>
          {data.stages.map((stage, n) => (
            <tr key={`${n} ${stage.state}`} className={stage.began ? "" : "dim"}>
              <td className="tight">
                <span className={stage.ended ? "came" : stage.began ? "severity note" : "dim"} aria-hidden>
                  {stage.ended ? "✓" : stage.began ? "●" : "○"}
                </span>{" "}
                {capital(stage.words)}
                {stage.there && stage.there !== stage.words && <span className="dim"> "{stage.there}"</span>}
              </td>
              <td className="tight">{stage.began ? <When at={stage.began} /> : ""}</td>
              <td className="number">{took(stage)}</td>
              <td className="wide">{usually(stage)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}

function took(stage: Stage): string {
  if (!stage.began || !stage.ended) return "";
  return duration((Date.parse(stage.ended) - Date.parse(stage.began)) / 1000);
}

function usually(stage: Stage): string {
  const usual = stage.usual;
  if (!usual) return "";
  return `${duration(usual.median)} (${duration(usual.low)} to ${duration(usual.high)}, of ${usual.count})`;
}
