import "./listing.css";

import { Textarea, TextInput } from "@mantine/core";

import type { Schemas } from "../../app/http";
import { count } from "./count";
import type { DraftInHand } from "./useListingDraft";

interface Props {
  hand: DraftInHand;
  file: string;
  path: string[];
  label: string;
  /** Lines; 1 for a name or an address. */
  rows?: number;
  placeholder?: string;
  language?: string;
  description?: string;
}

/** One value of a listing's file. */
export function SaidField({ hand, file, path, label, rows = 1, placeholder, language, description }: Props) {
  const value = hand.get(file, path);
  const set = (typed: string) => hand.set(file, path, typed === "" ? null : typed);
  const shared = { size: "xs" as const, label, placeholder, description, value, lang: language, dir: "auto" as const };
  if (rows === 1) return <TextInput {...shared} onChange={(e) => set(e.currentTarget.value)} onBlur={() => void hand.keep()} />;
  return (
    <Textarea
      {...shared}
      autosize
      minRows={rows}
      maxRows={rows * 4}
      onChange={(e) => set(e.currentTarget.value)}
      onBlur={() => void hand.keep()}
    />
  );
}

interface CounterProps {
  /** Storefront's name for people -> its limit and the text that it gets. */
  of: { title: string; length: Schemas["LengthOut"]; text: string }[];
}

/** How long the text is, as each storefront counts. */
export function Counters({ of }: CounterProps) {
  return (
    <div className="counters">
      {of.map(({ title, length, text }) => {
        const counted = count(text.trim(), length.counting);
        const over = counted > length.most;
        return (
          <span key={title} className={over ? "over" : undefined} title={`${title} takes ${length.words}`}>
            {title} {counted.toLocaleString("en")} of {length.most.toLocaleString("en")}
            {over && `, ${(counted - length.most).toLocaleString("en")} too many`}
          </span>
        );
      })}
    </div>
  );
}
