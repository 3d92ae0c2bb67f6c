import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Channel = Schemas["Channel"];
export type Preview = Schemas["PlacePreview"];
export type Placement = Schemas["Placement"];
export type Rollout = Schemas["Rollout"];
export type Health = Schemas["PlacementHealth"];
export type RollBackPreview = Schemas["RollBackPreview"];

export interface RolloutAct {
  path: "grow" | "plan" | "hold" | "go-on";
  method?: "PUT";
  body?: object;
}

export function useChannels(title: string) {
  return useQuery({
    queryKey: ["channels", title],
    queryFn: () => call<Schemas["ChannelList"]>(`/titles/${title}/channels`),
    staleTime: 10_000,
  });
}

export function useChannel(title: string, channel: string) {
  return useQuery({
    queryKey: ["channel", title, channel],
    queryFn: () => call<Channel>(`/titles/${title}/channels/${channel}`),
    refetchInterval: 8_000,
  });
}

/** What placing would do; asked for again whenever the dialogue opens. */
export function usePreview(title: string, channel: string, build: number) {
  return useQuery({
    queryKey: ["preview", title, channel, build],
    queryFn: () => call<Preview>(`/titles/${title}/channels/${channel}/preview`, { method: "POST", body: { build } }),
    staleTime: 0,
    gcTime: 0,
  });
}

export function usePlace(title: string, channel: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ seen, key, extent }: { seen: Preview; key: string; extent: { share?: number; plan?: string } }) =>
      call<Placement>(`/titles/${title}/channels/${channel}/placements`, {
        method: "POST",
        body: { build: seen.build.number, ...extent },
        ifMatch: seen.etag,
        key,
      }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useWithdraw(title: string, channel: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (placement: number) =>
      call<Placement>(`/titles/${title}/channels/${channel}/placements/${placement}/withdraw`, { method: "POST", body: {} }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

/** Adding, changing and removing answer all channels in their order. */
export function useChangeChannels(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ path = "", method, body }: { path?: string; method: "POST" | "PATCH" | "DELETE"; body?: object }) =>
      call<Schemas["ChannelList"]>(`/titles/${title}/channels${path}`, { method, body }),
    onSuccess: (channels) => {
      queries.setQueryData(["channels", title], channels);
      return queries.invalidateQueries();
    },
  });
}

/** Approving a build for a channel, or waiving a gate for it. */
export function useGateAct(title: string, channel: string, build: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ act, body }: { act: "approval" | "waiver"; body?: Schemas["WaiveIn"] }) =>
      call<Schemas["GatesOut"]>(`/titles/${title}/channels/${channel}/builds/${build}/${act}`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useSetGates(title: string, channel: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (gates: Schemas["GateIn"][]) =>
      call<Channel>(`/titles/${title}/channels/${channel}/gates`, { method: "PUT", body: { gates } }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useRollout(title: string, channel: string, number: number) {
  return useQuery({
    queryKey: ["rollout", title, channel, number],
    queryFn: () => call<Rollout>(`/titles/${title}/channels/${channel}/placements/${number}`),
    refetchInterval: 5_000,
  });
}

export function useRolloutAct(title: string, channel: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ path, method = undefined, body }: RolloutAct) =>
      call<Rollout>(`/titles/${title}/channels/${channel}/placements/${number}/${path}`, { method: method ?? "POST", body: body ?? {} }),
    onSuccess: (rollout) => {
      queries.setQueryData(["rollout", title, channel, number], rollout);
      return queries.invalidateQueries();
    },
  });
}

/** What rolling back would do; asked for again whenever a build is chosen. */
export function useRollBackPreview(title: string, channel: string, build: number) {
  return useQuery({
    queryKey: ["roll-back", title, channel, build],
    queryFn: () => call<RollBackPreview>(`/titles/${title}/channels/${channel}/roll-back/preview`, { method: "POST", body: { build } }),
    staleTime: 0,
    gcTime: 0,
  });
}

export function useRollBack(title: string, channel: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (seen: RollBackPreview) =>
      call<Rollout>(`/titles/${title}/channels/${channel}/roll-back`, {
        method: "POST",
        body: { build: seen.build.number },
        ifMatch: seen.etag,
      }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useHealth(title: string, channel: string, number: number) {
  return useQuery({
    queryKey: ["health", title, channel, number],
    queryFn: () => call<Health>(`/titles/${title}/channels/${channel}/placements/${number}/health`),
    refetchInterval: 5_000,
  });
}

export function useScheduled(title: string) {
  return useQuery({
    queryKey: ["scheduled", title],
    queryFn: () => call<Schemas["ScheduledList"]>(`/titles/${title}/scheduled`),
    refetchInterval: 8_000,
  });
}

export function useSchedule(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Partial<Schemas["NewScheduled"]>) =>
      call<Schemas["Scheduled"]>(`/titles/${title}/scheduled`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useMoveScheduled(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ number, at }: { number: number; at: string | null }) =>
      call<Schemas["Scheduled"]>(`/titles/${title}/scheduled/${number}`, { method: "PATCH", body: { at } }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useCancelScheduled(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (number: number) => call<Schemas["Scheduled"]>(`/titles/${title}/scheduled/${number}/cancel`, { method: "POST", body: {} }),
    onSuccess: () => queries.invalidateQueries(),
  });
}
