import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Replay = Schemas["ReplayOut"];
export type Release = Schemas["ReplayedRelease"];
export type Cost = Schemas["ReplayedCost"];

export const UNDER_WAY = ["waiting", "running"];

export function useReplays(title: string) {
  return useQuery({
    queryKey: ["replays", title],
    queryFn: () => call<Schemas["ReplayList"]>(`/titles/${title}/replays`),
    refetchInterval: (q) => (q.state.data?.items.some((r) => UNDER_WAY.includes(r.state)) ? 1500 : false),
  });
}

export function useReplay(title: string, number: number) {
  return useQuery({
    queryKey: ["replay", title, number],
    queryFn: () => call<Replay>(`/titles/${title}/replays/${number}`),
    enabled: number > 0,
    refetchInterval: (q) => (UNDER_WAY.includes(q.state.data?.state ?? "") ? 1000 : false),
  });
}

/** Asking, stopping and going on answer the replay as it is then. */
export function useReplayAct(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ path, body }: { path: string; body?: unknown }) =>
      call<Replay>(`/titles/${title}/replays${path}`, { method: "POST", body: body ?? {} }),
    onSuccess: (replay) => {
      queries.setQueryData(["replay", title, replay.number], replay);
      return queries.invalidateQueries({ queryKey: ["replays", title] });
    },
  });
}

/** `-12.5 %`, `+3.0 %`, or `same`. */
export function change(before: number, after: number): string {
  const share = 100 * (after / Math.max(1, before) - 1);
  if (Math.abs(share) < 0.05) return "same";
  return `${share > 0 ? "+" : "−"}${Math.abs(share).toFixed(1)} %`;
}
