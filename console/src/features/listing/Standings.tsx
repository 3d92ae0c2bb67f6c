import "./listing.css";

import { Link } from "react-router";

import { plural } from "../../ui/format";
import { SeverityMark } from "../../ui/parts";
import type { Check } from "./queries";

/** Storefronts by languages: where a player would see what, and where something is missing. */
export function Standings({ title, check }: { title: string; check: Check }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Storefront</th>
          <th className="wide">Category there</th>
          <th>Age rating there</th>
          <th>Languages</th>
          <th className="wide">Players see</th>
          <th className="number">Blockers</th>
          <th className="number wide">Warnings</th>
        </tr>
      </thead>
      <tbody>
        {check.storefronts.map((s) => (
          <tr key={s.name}>
            <td>
              <Link to={`/titles/${title}/listing/preview?storefront=${s.name}`} title={`As ${s.title} shows it`}>
                {s.title}
              </Link>{" "}
              <span className="dim wide">simulated</span>
            </td>
            <td className="wide">{s.category || <span className="dim">not said</span>}</td>
            <td>{s.rating || <span className="dim">questions are open</span>}</td>
            <td>
              <Languages worst={s.languages} />
            </td>
            <td className="tight wide">
              {s.live ? (
                <Link to={`/titles/${title}/listing?view=history&state=${check.number}&against=${s.live}`}>
                  {s.live === check.number ? "this state" : `state ${s.live}`}
                </Link>
              ) : (
                <span className="dim">nothing yet</span>
              )}
            </td>
            <td className="number">{s.blockers}</td>
            <td className="number wide">{s.warnings}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const SHOWN = 3;

/** How many are whole, and which are not: of two hundred only those that need somebody. */
function Languages({ worst }: { worst: Record<string, string> }) {
  const all = Object.entries(worst);
  const whole = all.filter(([, severity]) => !severity).map(([language]) => language);
  return (
    <span style={{ display: "flex", gap: "2px 12px", flexWrap: "wrap" }}>
      {["blocker", "warning", "note"].map((severity) => {
        const here = all.filter(([, s]) => s === severity).map(([language]) => language);
        if (!here.length) return null;
        const more = here.length - SHOWN;
        return (
          <span key={severity} title={here.join(", ")}>
            <SeverityMark severity={severity} /> {here.slice(0, SHOWN).join(", ")}
            {more > 0 && ` and ${more} more`}
          </span>
        );
      })}
      {whole.length > 0 && (
        <span className="came" title={whole.join(", ")}>
          <span aria-hidden>✓</span> {whole.length <= SHOWN ? `${whole.join(", ")} whole` : `${plural(whole.length, "language")} whole`}
        </span>
      )}
    </span>
  );
}
