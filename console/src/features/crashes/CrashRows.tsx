import { Link } from "react-router";

import { When } from "../../ui/parts";
import type { CrashSummary } from "./queries";

/** Where it crashes, how often, on which devices, and since which build. */
export function CrashRows({ title, crashes, devices = "Most on" }: { title: string; crashes: CrashSummary[]; devices?: string }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Place</th>
          <th className="number">Crashes</th>
          <th className="number">Devices</th>
          <th>{devices}</th>
          <th>First in</th>
          <th className="wide">Last</th>
        </tr>
      </thead>
      <tbody>
        {crashes.map((c) => (
          <tr key={c.number}>
            <td className="path">
              <Link to={`/titles/${title}/crashes/${c.number}`} style={{ fontWeight: 600 }}>
                {c.place}
              </Link>{" "}
              <span className="dim">{c.reason}</span>
              {c.new && <New />}
            </td>
            <td className="number">{c.crashes.toLocaleString("en")}</td>
            <td className="number">
              {c.devices.toLocaleString("en")}
              {c.simulated > 0 && <span className="dim"> {c.simulated === c.devices ? "simulated" : `${c.simulated} simulated`}</span>}
            </td>
            <td>
              <Most of={c} />
            </td>
            <td className="tight">
              <Link to={`/titles/${title}/builds/${c.first_build_number}`}>#{c.first_build_number}</Link>
            </td>
            <td className="wide tight">{c.last_at && <When at={c.last_at} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Most({ of }: { of: CrashSummary }) {
  const most = of.forms[0];
  if (!most) return <span className="dim">unknown</span>;
  const all = most.crashes === of.crashes;
  return (
    <>
      {most.name} <span className="dim">{all ? "only" : `${Math.round((100 * most.crashes) / of.crashes)} %`}</span>
    </>
  );
}

function New() {
  return (
    <b style={{ color: "var(--r-blocker)", whiteSpace: "nowrap" }}>
      {" "}
      <span aria-hidden>■</span> new
    </b>
  );
}
