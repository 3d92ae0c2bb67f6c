import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Trust = Schemas["Trust"];
export type Origin = Schemas["DeliveryOrigin"];
type Origins = Schemas["OriginList"];

export function useTrust(title: string) {
  return useQuery({
    queryKey: ["trust", title],
    queryFn: () => call<Trust>(`/titles/${title}/trust`),
    refetchInterval: 10_000,
  });
}

export function useOrigins(title: string) {
  return useQuery({
    queryKey: ["origins", title],
    queryFn: () => call<Origins>(`/titles/${title}/delivery/origins`),
    refetchInterval: 10_000,
  });
}

/** A change of origins: the list of them is asked again. */
export function useOriginAct<Said>(title: string, send: (said: Said) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries({ queryKey: ["origins", title] }) });
}
