import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Screen = Schemas["Screen"];
export type ScreenAct = Schemas["ScreenActIn"]["act"];
export type ScreenSet = Schemas["ScreenSet"];
type Screens = Schemas["Screens"];

const KEY = ["screens"];
const STILL: Screen["state"][] = ["home", "waiting", "crashed"];

/** Asked again soon while one of them is at something. */
export function useScreens() {
  return useQuery({
    queryKey: KEY,
    queryFn: () => call<Screens>("/testing/screens"),
    refetchInterval: ({ state }) => (state.data?.items.some((s) => !STILL.includes(s.state)) ? 500 : 2_000),
  });
}

/** The answer is what the device shows now. */
function useScreenCall<Said>(send: (said: Said) => Promise<Screen>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (now) => {
      queries.setQueryData<Screens>(KEY, (all) => all && { ...all, items: all.items.map((s) => (s.device === now.device ? now : s)) });
      return queries.invalidateQueries({ queryKey: KEY });
    },
  });
}

export function useScreenAct(device: string) {
  return useScreenCall((act: ScreenAct) => call<Screen>(`/testing/screens/${device}/acts`, { method: "POST", body: { act } }));
}

export function useScreenSettings(device: string) {
  return useScreenCall((body: ScreenSet) => call<Screen>(`/testing/screens/${device}/settings`, { method: "PUT", body }));
}

export function useAddScreen() {
  return useScreenCall(({ title, channel, ...body }: Schemas["NewScreen"] & { title: string; channel: string }) =>
    call<Screen>(`/testing/titles/${title}/channels/${channel}/screens`, { method: "POST", body }),
  );
}

export function useTakeOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (device: string) => call<unknown>(`/testing/devices/${device}`, { method: "DELETE" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: KEY }),
  });
}
