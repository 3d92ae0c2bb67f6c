import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type CrashGroup = Schemas["CrashGroup"];
export type CrashSummary = Schemas["CrashSummary"];
export type CrashFrame = Schemas["CrashFrameOut"];

export function useCrashes(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["crashes", title, query.toString()],
    queryFn: () => call<Schemas["CrashPage"]>(`/titles/${title}/crashes?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 8_000,
  });
}

export function useCrash(title: string, number: number) {
  return useQuery({
    queryKey: ["crash", title, number],
    queryFn: () => call<CrashGroup>(`/titles/${title}/crashes/${number}`),
    refetchInterval: 15_000,
  });
}
