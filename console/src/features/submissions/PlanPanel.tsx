import { useState } from "react";
import { Link } from "react-router";

import { bytes, plural } from "../../ui/format";
import { Command, Findings, Panel } from "../../ui/parts";
import { Platform } from "../profiles/Platform";
import type { Need, PlanFor } from "./queries";

const MARKS: Record<Need["state"], { mark: string; word: string; kind: string }> = {
  there: { mark: "✓", word: "", kind: "came" },
  warning: { mark: "▲", word: "warning", kind: "severity warning" },
  later: { mark: "○", word: "later", kind: "severity note" },
  missing: { mark: "■", word: "missing", kind: "severity blocker" },
};

/** Where in the console a need is mended. */
const PAGES: Partial<Record<Need["key"], (title: string) => string>> = {
  account: () => "/storefronts",
  signature: () => "/keys",
  profile: (title) => `/titles/${title}/check`,
  permissions: (title) => `/titles/${title}/check`,
  "version-code": (title) => `/titles/${title}/runs/start`,
  listing: (title) => `/titles/${title}/listing`,
  rating: (title) => `/titles/${title}/listing`,
  gates: (title) => `/titles/${title}/channels`,
};

/** One build at one storefront: every line that it needs; what is wrong stands first. */
export function PlanPanel({ title, item }: { title: string; item: PlanFor }) {
  const wrong = item.needs.filter((n) => n.state === "missing" || n.state === "warning");
  const rest = item.needs.filter((n) => !wrong.includes(n));
  const [all, show] = useState(false);
  const missing = wrong.filter((n) => n.state === "missing").length;
  if (!item.needs.length)
    return (
      <Panel title={<Head title={title} item={item} />} aside={`${item.version_name} (${item.version_code.toLocaleString("en")})`}>
        <div className="sentence">
          It is there already: <Link to={`/titles/${title}/submissions/${item.there}`}>submission {item.there}</Link>.
        </div>
      </Panel>
    );
  return (
    <Panel
      title={<Head title={title} item={item} />}
      aside={`${item.version_name} (${item.version_code.toLocaleString("en")}), ${bytes(item.size)}${item.simulated ? ", simulated" : ""}`}
    >
      <div className={missing ? "severity blocker" : "came"} style={{ marginBottom: 8 }}>
        {missing ? `■ ${plural(missing, "thing is", "things are")} missing` : "✓ It can be sent"}
      </div>
      {wrong.map((need) => (
        <Line key={need.key} title={title} need={need} />
      ))}
      <button
        type="button"
        className="linkish"
        aria-expanded={all}
        onClick={() => show(!all)}
        style={{ all: "unset", cursor: "pointer", color: "var(--r-accent)", marginTop: 6 }}
      >
        {all ? "▾" : "▸"} {plural(rest.length, "line")} in order
      </button>
      {all && rest.map((need) => <Line key={need.key} title={title} need={need} />)}
    </Panel>
  );
}

function Head({ title, item }: { title: string; item: PlanFor }) {
  return (
    <>
      {item.storefront_title}: <Platform name={item.platform} /> <Link to={`/titles/${title}/builds/${item.build}`}>#{item.build}</Link>
    </>
  );
}

function Line({ title, need }: { title: string; need: Need }) {
  const { mark, word, kind } = MARKS[need.state];
  const page = PAGES[need.key];
  return (
    <div className="finding">
      <span className={kind}>
        <span aria-hidden>{mark}</span> {word}
      </span>
      <div>
        <b>{need.title}</b>: {need.said}
        {need.state !== "there" && need.mend && (
          <div style={{ marginTop: 4, display: "flex", gap: 10, alignItems: "center", flexWrap: "wrap" }}>
            {page && <Link to={page(title)}>Mend it</Link>}
            {need.mend.startsWith("rampa ") ? <Command text={`bin/${need.mend}`} /> : <span className="dim">{need.mend}</span>}
          </div>
        )}
        {need.findings.length > 1 && (
          <details>
            <summary className="dim">{plural(need.findings.length, "finding")}</summary>
            <Findings findings={need.findings} />
          </details>
        )}
      </div>
    </div>
  );
}
