import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Channel = Schemas["Channel"];
export type Preview = Schemas["PlacePreview"];
export type Placement = Schemas["Placement"];

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
    mutationFn: ({ seen, key }: { seen: Preview; key: string }) =>
      call<Placement>(`/titles/${title}/channels/${channel}/placements`, {
        method: "POST",
        body: { build: seen.build.number },
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
