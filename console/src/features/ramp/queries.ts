import { useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Ramp = Schemas["Ramp"];
export type RampRow = Schemas["RampRow"];
export type RampBuild = Schemas["RampBuild"];
export type RampPlace = Schemas["RampPlace"];
export type Station = Schemas["Station"];

/** Asked again every few seconds: the ramp is kept open all day. */
export function useRamp(title: string) {
  return useQuery({
    queryKey: ["ramp", title],
    queryFn: () => call<Ramp>(`/titles/${title}/ramp`),
    refetchInterval: 8_000,
  });
}
