import "./listing.css";

import { Button, Select, TextInput } from "@mantine/core";
import { useState } from "react";
import { useSearchParams } from "react-router";

import { capital } from "../../ui/format";
import { altered } from "../../ui/search";
import type { Finding, Rules } from "./queries";
import { Counters, SaidField } from "./SaidField";
import type { DraftInHand } from "./useListingDraft";

interface Props {
  hand: DraftInHand;
  rules: Rules;
  storefronts: string[];
  findings: Finding[];
}
const ROWS: Record<string, number> = { name: 1, short: 2, long: 8 };
const WORST = ["blocker", "warning", "note"];
const MARKS: Record<string, string> = { blocker: "■", warning: "▲", note: "●" };

/** Name, short and long text in one language, counted as each storefront counts. */
export function TextsPart({ hand, rules, storefronts, findings }: Props) {
  const [search, setSearch] = useSearchParams();
  const draft = hand.draft!;
  const language = search.get("language") || draft.main || draft.languages[0] || "en";
  const choose = (next: string | null) => setSearch((now) => altered(now, { language: next }), { replace: true });
  const mark = (of: string) => {
    const there = findings.filter((f) => f.language === of).map((f) => f.severity);
    return MARKS[WORST.find((s) => there.includes(s)) ?? ""] ?? "✓";
  };
  const shown = draft.languages.includes(language) ? draft.languages : [...draft.languages, language];
  return (
    <>
      <div className="listing-parts">
        <Select
          size="xs"
          w={210}
          label="Language"
          allowDeselect={false}
          searchable
          value={language}
          onChange={choose}
          data={shown.map((l) => ({ value: l, label: `${mark(l)} ${spoken(l)}${l === draft.main ? ", the main one" : ""}` }))}
        />
        <AddLanguage there={draft.languages} add={choose} />
      </div>
      <div style={{ padding: "12px 14px", display: "grid", gap: 18 }} key={language}>
        {Object.entries(rules.fields).map(([field, label]) => (
          <TextField key={field} {...{ hand, rules, storefronts, language, field, label }} />
        ))}
      </div>
    </>
  );
}

interface FieldProps {
  hand: DraftInHand;
  rules: Rules;
  storefronts: string[];
  language: string;
  field: string;
  label: string;
}

function TextField({ hand, rules, storefronts, language, field, label }: FieldProps) {
  const file = `texts/${language}.toml`;
  const [opened, open] = useState<string[]>([]);
  const part = (s: string) => hand.get(file, ["storefronts", s, field]);
  const mine = rules.items.filter((r) => storefronts.includes(r.storefront));
  const otherwise = mine.filter((r) => part(r.storefront) || opened.includes(r.storefront));
  const main = hand.draft!.main;
  return (
    <div>
      <SaidField
        hand={hand}
        file={file}
        path={[field]}
        label={capital(label)}
        rows={ROWS[field]}
        language={language}
        placeholder={language === main ? undefined : hand.get(`texts/${main}.toml`, [field]).slice(0, 200)}
      />
      <Counters of={mine.map((r) => ({ title: r.title, length: r.texts[field]!, text: part(r.storefront) || hand.get(file, [field]) }))} />
      {otherwise.map((r) => (
        <div className="otherwise" key={r.storefront}>
          <SaidField
            hand={hand}
            file={file}
            path={["storefronts", r.storefront, field]}
            label={`${capital(label)} on ${r.title}`}
            rows={ROWS[field]}
            language={language}
            placeholder="As for all"
          />
        </div>
      ))}
      <div style={{ display: "flex", gap: 6, marginTop: 4, flexWrap: "wrap" }}>
        {mine
          .filter((r) => !otherwise.includes(r))
          .map((r) => (
            <Button key={r.storefront} size="compact-xs" variant="subtle" onClick={() => open([...opened, r.storefront])}>
              Say it otherwise on {r.title}
            </Button>
          ))}
      </div>
    </div>
  );
}

function AddLanguage({ there, add }: { there: string[]; add: (language: string) => void }) {
  const [typed, type] = useState("");
  const good = /^[a-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}$/.test(typed) && !there.includes(typed);
  return (
    <form
      style={{ display: "flex", gap: 8, alignItems: "end" }}
      onSubmit={(e) => {
        e.preventDefault();
        if (!good) return;
        add(typed);
        type("");
      }}
    >
      <TextInput
        size="xs"
        w={150}
        label="Another language"
        placeholder="as sv or pt-BR"
        value={typed}
        onChange={(e) => type(e.currentTarget.value.trim())}
      />
      <Button size="xs" variant="default" type="submit" disabled={!good}>
        Add{good ? ` ${spoken(typed)}` : ""}
      </Button>
    </form>
  );
}

const names = new Intl.DisplayNames(["en"], { type: "language" });

/** Finnish (fi). */
export function spoken(language: string): string {
  try {
    const name = names.of(language);
    return name && name !== language ? `${name} (${language})` : language;
  } catch {
    return language;
  }
}
