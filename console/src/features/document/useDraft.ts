import { useDebouncedValue } from "@mantine/hooks";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { ApiError } from "../../app/http";
import { type Drafts, type Edit, readText, saveDraft, useDrafts } from "./queries";

export type Status = "unchanged" | "typing" | "keeping" | "kept" | "elsewhere" | "failed";
const PAUSE = 600;

/** One text that the form and the text both change; kept at the service while one types. */
export function useDraft(title: string) {
  const drafts = useDrafts(title);
  const client = useQueryClient();
  const [text, show] = useState<string | null>(null);
  const [status, setStatus] = useState<Status>("unchanged");
  const [error, setError] = useState<unknown>(null);
  const [savedAt, setSavedAt] = useState<string | null>(null);
  const now = useRef({ text: "", base: 0, version: 0, dirty: false });
  const chain = useRef<Promise<unknown>>(Promise.resolve());
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);

  const load = useCallback((data: Drafts) => {
    const { draft } = data;
    now.current = {
      text: draft?.document ?? data.document,
      base: draft?.base ?? data.revision,
      version: draft?.version ?? 0,
      dirty: false,
    };
    show(now.current.text);
    setStatus(draft ? "kept" : "unchanged");
    setError(null);
  }, []);

  useEffect(() => {
    if (drafts.data && text === null && !drafts.isFetching) load(drafts.data);
  }, [drafts.data, drafts.isFetching, text, load]);

  const keep = useCallback(() => {
    clearTimeout(timer.current);
    chain.current = chain.current.then(async () => {
      if (!now.current.dirty) return;
      const sent = now.current.text;
      setStatus("keeping");
      try {
        const kept = await saveDraft(title, sent, now.current.base, now.current.version);
        now.current.version = kept.version;
        setSavedAt(kept.saved_at);
        if (now.current.text === sent) {
          now.current.dirty = false;
          setStatus("kept");
        }
        setError(null);
      } catch (failure) {
        const moved = failure instanceof ApiError && failure.status === 412;
        setStatus(moved ? "elsewhere" : "failed");
        setError(failure);
      }
    });
    return chain.current;
  }, [title]);

  const change = useCallback(
    (next: string) => {
      if (next === now.current.text) return;
      now.current.text = next;
      now.current.dirty = true;
      show(next);
      setStatus("typing");
      clearTimeout(timer.current);
      timer.current = setTimeout(() => void keep(), PAUSE);
    },
    [keep],
  );

  /** Edits come one after the other: each is made in the text that the one before left. */
  const edit = useCallback(
    (edits: Edit[]) => {
      const made = chain.current.then(async () => {
        const read = await readText(now.current.text, edits);
        client.setQueryData(["read", read.document], read);
        change(read.document);
      });
      chain.current = made.catch(() => undefined);
      return made;
    },
    [change, client],
  );

  useEffect(
    () => () => {
      if (now.current.dirty) void keep();
      void client.invalidateQueries({ queryKey: ["drafts", title] });
    },
    [keep, client, title],
  );

  const [settled] = useDebouncedValue(text, 250);
  const read = useQuery({
    queryKey: ["read", settled],
    queryFn: () => readText(settled!),
    enabled: Boolean(settled),
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  const reload = async () => {
    const fresh = await drafts.refetch();
    if (fresh.data) load(fresh.data);
  };
  const overwrite = async () => {
    const fresh = await drafts.refetch();
    now.current.version = fresh.data?.draft?.version ?? 0;
    now.current.dirty = true;
    await keep();
  };
  /** What is on the page is not kept again: the draft was thrown away. */
  const forget = () => {
    clearTimeout(timer.current);
    now.current.dirty = false;
  };
  return { drafts, forget, text, change, edit, keep, status, error, read, reload, overwrite, savedAt, base: now.current.base };
}
