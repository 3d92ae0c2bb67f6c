import "./listing.css";

import { Button, Select } from "@mantine/core";
import { useState } from "react";

import { capital } from "../../ui/format";
import type { Rules } from "./queries";
import { SaidField } from "./SaidField";
import type { DraftInHand } from "./useListingDraft";

const FILE = "listing.toml";

/** What no language changes: the category, the licence, links, videos; for all storefronts, or for one. */
export function FactsPart({ hand, rules, storefronts }: { hand: DraftInHand; rules: Rules; storefronts: string[] }) {
  const draft = hand.draft!;
  const mine = rules.items.filter((r) => storefronts.includes(r.storefront));
  const forms = [...new Set(mine.flatMap((r) => r.videos))];
  return (
    <div style={{ padding: "12px 14px", display: "grid", gap: 16, maxWidth: 720 }}>
      <Select
        size="xs"
        label="Main language"
        description="What players see whose own language is missing, where the storefront shows it at all."
        allowDeselect={false}
        value={hand.get(FILE, ["main"]) || null}
        data={draft.languages}
        onChange={(v) => hand.set(FILE, ["main"], v)}
      />
      <div>
        <Category hand={hand} rules={rules} path={["category"]} label="Category" />
        <div className="counters">
          {mine.map((r) => {
            const said = hand.get(FILE, ["storefronts", r.storefront, "category"]) || hand.get(FILE, ["category"]);
            return (
              <span key={r.storefront}>
                {r.title}: {r.categories[said] ?? "not said"}
              </span>
            );
          })}
        </div>
      </div>
      <SaidField
        hand={hand}
        file={FILE}
        path={["licence"]}
        label="Licence"
        description="A name of the SPDX license list, such as MIT, or LicenseRef-NAME for terms of your own. An open one takes the source along."
      />
      {Object.entries(rules.links).map(([link, label]) => (
        <SaidField key={link} hand={hand} file={FILE} path={["links", link]} label={capital(label)} placeholder="https://" />
      ))}
      {forms.map((form) => (
        <SaidField
          key={form}
          hand={hand}
          file={FILE}
          path={["videos", form]}
          label={`Video for ${form === "desktop" ? "desktops" : `${form}s`}`}
          placeholder="https://"
        />
      ))}
      {mine.map((r) => (
        <Otherwise key={r.storefront} hand={hand} rules={rules} storefront={r.storefront} name={r.title} />
      ))}
    </div>
  );
}

function Category({ hand, rules, path, label }: { hand: DraftInHand; rules: Rules; path: string[]; label: string }) {
  return (
    <Select
      size="xs"
      label={label}
      clearable
      value={hand.get(FILE, path) || null}
      data={Object.entries(rules.categories).map(([value, words]) => ({ value, label: words }))}
      onChange={(v) => hand.set(FILE, path, v)}
    />
  );
}

/** A storefront's own part: shown when it says something, or when somebody wants to say it. */
function Otherwise({ hand, rules, storefront, name }: { hand: DraftInHand; rules: Rules; storefront: string; name: string }) {
  const at = (...path: string[]) => ["storefronts", storefront, ...path];
  const links = Object.keys(rules.links);
  const said = [at("category"), ...links.map((l) => at("links", l))].some((path) => hand.get(FILE, path));
  const [opened, open] = useState(false);
  if (!said && !opened)
    return (
      <Button size="compact-xs" variant="subtle" style={{ justifySelf: "start" }} onClick={() => open(true)}>
        Say something otherwise on {name}
      </Button>
    );
  return (
    <div className="otherwise">
      <Category hand={hand} rules={rules} path={at("category")} label={`Category on ${name}`} />
      {links.map((link) => (
        <SaidField
          key={link}
          hand={hand}
          file={FILE}
          path={at("links", link)}
          label={`${capital(rules.links[link]!)} on ${name}`}
          placeholder="As for all"
        />
      ))}
    </div>
  );
}
