import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Matrix = Schemas["MatrixOut"];
export type Row = Schemas["RowOut"];
export type Value = Schemas["ValueOut"];
export type Finding = Schemas["ProfileFindingOut"];
export type Difference = Schemas["DifferenceOut"];
export type Origin = Schemas["OriginOut"];

/** `?revision=3`, or nothing for the newest. */
function at(revision: string | null): string {
  return revision ? `?revision=${encodeURIComponent(revision)}` : "";
}

export function useMatrix(title: string, revision: string | null) {
  return useQuery({
    queryKey: ["matrix", title, revision],
    queryFn: () => call<Matrix>(`/titles/${title}/matrix${at(revision)}`),
    placeholderData: keepPreviousData,
  });
}

export function useResolved(title: string, profile: string, revision: string | null) {
  return useQuery({
    queryKey: ["resolved", title, profile, revision],
    queryFn: () => call<Schemas["ResolvedOut"]>(`/titles/${title}/profiles/${profile}${at(revision)}`),
    placeholderData: keepPreviousData,
  });
}

export function useCheck(title: string, revision: string | null) {
  return useQuery({
    queryKey: ["check", title, revision],
    queryFn: () => call<Schemas["CheckOut"]>(`/titles/${title}/check${at(revision)}`),
    placeholderData: keepPreviousData,
  });
}

export function useComparison(title: string, left: string, right: string) {
  return useQuery({
    queryKey: ["comparison", title, left, right],
    queryFn: () => call<Schemas["ComparisonOut"]>(`/titles/${title}/comparison?${new URLSearchParams({ left, right })}`),
    enabled: Boolean(left && right),
  });
}

export function useSettings() {
  return useQuery({ queryKey: ["settings"], queryFn: () => call<Schemas["SettingsOut"]>("/settings"), staleTime: Infinity });
}
