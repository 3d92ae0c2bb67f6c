import { bytes, plural } from "../../ui/format";
import { Answer, Empty } from "../../ui/parts";
import { useLeftOut } from "./queries";

const SHOWN = 500;

/** What stayed out, and by which rule. */
export function LeftOut({ title, number, ready }: { title: string; number: number; ready: boolean }) {
  const left = useLeftOut(title, number, ready);
  if (!ready)
    return (
      <div className="dim" style={{ padding: 14 }}>
        This is listed when the upload is complete.
      </div>
    );
  return (
    <Answer of={left} rows={5}>
      {({ files }) =>
        files.length === 0 ? (
          <Empty>Nothing was left out: every file of the folder went in.</Empty>
        ) : (
          <table className="rows">
            <thead>
              <tr>
                <th>File</th>
                <th>Why</th>
                <th className="wide">Rule</th>
                <th className="number">Size</th>
              </tr>
            </thead>
            <tbody>
              {files.slice(0, SHOWN).map((f) => (
                <tr key={f.path}>
                  <td className="path">{f.path}</td>
                  <td>{f.why}</td>
                  <td className="wide dim">{f.origin}</td>
                  <td className="number">{bytes(f.size)}</td>
                </tr>
              ))}
              {files.length > SHOWN && (
                <tr>
                  <td colSpan={4} className="dim">
                    and {plural(files.length - SHOWN, "more file")}: bin/rampa build files --left-out lists all
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        )
      }
    </Answer>
  );
}
