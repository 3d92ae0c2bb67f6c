import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { ApiError } from "../../app/http";
import { type Edit, type ListingDraft, sendEdits, useDraftOf } from "./queries";

export type Status = "unchanged" | "typing" | "keeping" | "kept" | "elsewhere" | "failed";
const PAUSE = 500;

export function keyOf(file: string, path: string[]): string {
  return `${file}\n${path.join("\n")}`;
}

/** One's draft of a listing: what is typed is on the page at once, and at the service a moment later. */
export function useListingDraft(title: string) {
  const asked = useDraftOf(title);
  const queries = useQueryClient();
  const [draft, setDraft] = useState<ListingDraft | null>(null);
  const [typed, setTyped] = useState<ReadonlyMap<string, string | null>>(new Map());
  const [status, setStatus] = useState<Status>("unchanged");
  const [error, setError] = useState<unknown>(null);
  const waiting = useRef(new Map<string, Edit>());
  const now = useRef({ base: 0, version: 0 });
  const chain = useRef<Promise<unknown>>(Promise.resolve());
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);

  const take = useCallback((made: ListingDraft) => {
    now.current = { base: made.base, version: made.version };
    setDraft(made);
    setStatus(made.version ? "kept" : "unchanged");
    setError(null);
  }, []);

  useEffect(() => {
    if (asked.data && draft === null && !asked.isFetching) take(asked.data);
  }, [asked.data, asked.isFetching, draft, take]);

  const keep = useCallback(() => {
    clearTimeout(timer.current);
    chain.current = chain.current.then(async () => {
      const sent = [...waiting.current.values()];
      if (!sent.length) return;
      waiting.current.clear();
      setStatus("keeping");
      try {
        const made = await sendEdits(title, now.current.base, sent, now.current.version);
        take(made);
        // What was typed while they travelled stays typed.
        setTyped((before) => new Map([...before].filter(([key]) => waiting.current.has(key))));
        if (waiting.current.size) setStatus("typing");
      } catch (failure) {
        for (const edit of sent) {
          const key = keyOf(edit.file, edit.path ?? []);
          if (!waiting.current.has(key)) waiting.current.set(key, edit);
        }
        setStatus(failure instanceof ApiError && failure.status === 412 ? "elsewhere" : "failed");
        setError(failure);
      }
    });
    return chain.current;
  }, [title, take]);

  const set = useCallback(
    (file: string, path: string[], value: string | null) => {
      const key = keyOf(file, path);
      waiting.current.delete(key);
      waiting.current.set(key, { file, path, value });
      setTyped((before) => new Map(before).set(key, value));
      setStatus("typing");
      clearTimeout(timer.current);
      timer.current = setTimeout(() => void keep(), PAUSE);
    },
    [keep],
  );

  useEffect(
    () => () => {
      void keep();
      void queries.invalidateQueries({ queryKey: ["listing-draft", title] });
    },
    [keep, queries, title],
  );

  /** The draft as the service has it, with what waits here made in it once more. */
  const reload = async () => {
    const fresh = await asked.refetch();
    if (fresh.data) take(fresh.data);
    await keep();
  };
  const forget = () => {
    clearTimeout(timer.current);
    waiting.current.clear();
  };
  const said = new Map((draft?.values ?? []).map((v) => [keyOf(v.file, v.path), v.value]));
  const get = (file: string, path: string[]): string => {
    const key = keyOf(file, path);
    return (typed.has(key) ? typed.get(key) : said.get(key)) ?? "";
  };
  return { draft, others: asked.data?.others ?? [], newest: asked.data?.newest, get, set, keep, reload, forget, status, error, asked };
}

export type DraftInHand = ReturnType<typeof useListingDraft>;
