import { Digest, When } from "../../ui/parts";
import type { Comparison } from "./queries";

/** The settings that differ between two builds. */
export function Settings({ c }: { c: Comparison }) {
  if (c.settings.length === 0)
    return (
      <div className="dim" style={{ padding: 14 }}>
        Both were made with the same settings.
      </div>
    );
  return (
    <table className="rows">
      <tbody>
        {c.settings.map((s) => (
          <tr key={s.key}>
            <td className="mono">{s.key}</td>
            {s.added.length + s.taken.length > 0 ? (
              <td className="path" colSpan={2}>
                {s.added.map((item) => (
                  <div key={`+${item}`}>+ {item}</div>
                ))}
                {s.taken.map((item) => (
                  <div key={`-${item}`}>− {item}</div>
                ))}
              </td>
            ) : (
              <>
                <td className="path">{s.left?.text ?? <span className="dim">not set</span>}</td>
                <td className="path">{s.right?.text ?? <span className="dim">not set</span>}</td>
              </>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The commits that one has and the other has not. */
export function Commits({ c }: { c: Comparison }) {
  if (c.commits_said)
    return (
      <div className="dim" style={{ padding: 14 }}>
        {c.commits_said}
      </div>
    );
  const rows = [...c.commits.map((k) => ({ ...k, sign: "+" })), ...c.commits_back.map((k) => ({ ...k, sign: "−" }))];
  return (
    <table className="rows">
      <tbody>
        {rows.map((k) => (
          <tr key={k.commit}>
            <td>{k.sign}</td>
            <td>
              <Digest value={k.commit} what="commit" length={8} />
            </td>
            <td>{k.subject}</td>
            <td className="wide tight dim">
              {k.author}, <When at={k.at} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
