import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { ApiError, call, type Schemas, sendFile } from "../../app/http";
import { atBuild } from "./queries";

export type OwnSignOff = Schemas["OwnSignOff"];
export type Tick = Required<Schemas["TickIn"]>;
export type Point = Schemas["ChecklistPoint"];

export function useOwnSignOffs(title: string, channel: string, build: string) {
  return useQuery({
    queryKey: ["testing", "sign-offs", title, channel, build],
    queryFn: () => call<Schemas["OwnSignOffs"]>(`${atBuild(title, channel, build)}/sign-offs`),
  });
}

export function useSendPicture(title: string, channel: string, build: string) {
  return useMutation({ mutationFn: (file: File) => sendFile<Schemas["MadePicture"]>(`${atBuild(title, channel, build)}/pictures`, file) });
}

interface Draft {
  ticks: Tick[];
  device: string;
}

type Kept = "kept" | "sending" | "here" | "refused";

/** What a person ticks: kept on this machine with each change, and at the service as soon as it answers. */
export function useDraft(title: string, channel: string, build: string, mine: OwnSignOff) {
  const queries = useQueryClient();
  const name = mine.checklist.name;
  const key = `rampa.sign-off.${title}.${build}.${name}`;
  const [draft, setDraft] = useState<Draft>(() => kept(key) ?? { ticks: mine.ticks.map(whole), device: mine.device });
  const [state, setState] = useState<Kept>(kept(key) ? "here" : "kept");
  const [error, setError] = useState<unknown>();
  const newest = useRef(draft);
  const send = async (finish: boolean) => {
    const sent = newest.current;
    setState("sending");
    try {
      const path = `${atBuild(title, channel, build)}/sign-offs/${name}`;
      const done = await call<OwnSignOff>(path, { method: "PUT", body: { ...sent, finish } });
      setError(undefined);
      // Changed meanwhile: what is newer is sent next, and stays here until then.
      if (newest.current === sent) {
        localStorage.removeItem(key);
        setState("kept");
      }
      if (finish) await queries.invalidateQueries({ queryKey: ["testing", "sign-offs", title] });
      return done;
    } catch (failed) {
      // Without an answer it stays here and is sent again; a no is said.
      const away = failed instanceof ApiError && (failed.status === 0 || failed.status >= 500);
      setState(away ? "here" : "refused");
      if (!away || finish) setError(failed);
      return undefined;
    }
  };
  const sending = useRef(send);
  sending.current = send;
  const change = (ticks: Tick[], device: string) => {
    newest.current = { ticks, device };
    localStorage.setItem(key, JSON.stringify(newest.current));
    setDraft(newest.current);
    setState("here");
  };
  useEffect(() => {
    if (state !== "here") return undefined;
    const timer = setTimeout(() => void sending.current(false), navigator.onLine ? 800 : 5_000);
    const online = () => void sending.current(false);
    window.addEventListener("online", online);
    return () => {
      clearTimeout(timer);
      window.removeEventListener("online", online);
    };
  }, [state, draft]);
  const reopen = useMutation({
    mutationFn: () => call<OwnSignOff>(`${atBuild(title, channel, build)}/sign-offs/${name}/reopen`, { method: "POST" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["testing", "sign-offs", title] }),
  });
  return { draft, change, state, error, finish: () => send(true), reopen };
}

function kept(key: string): Draft | undefined {
  try {
    return (JSON.parse(localStorage.getItem(key) ?? "null") as Draft | null) ?? undefined;
  } catch {
    return undefined;
  }
}

function whole(tick: Schemas["TickIn"]): Tick {
  return { point: tick.point, verdict: tick.verdict ?? null, note: tick.note ?? "", pictures: tick.pictures ?? [] };
}

/** What was said of a point so far. */
export function tickOf(ticks: Tick[], point: string): Tick {
  return ticks.find((t) => t.point === point) ?? { point, verdict: null, note: "", pictures: [] };
}
