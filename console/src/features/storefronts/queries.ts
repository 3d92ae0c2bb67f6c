import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Account = Schemas["StorefrontAccount"];
export type Connecting = Schemas["Connecting"];

const KEY = ["storefronts"];

export function useAccounts() {
  return useQuery({ queryKey: KEY, queryFn: () => call<Schemas["StorefrontAccounts"]>("/storefronts"), refetchInterval: 15_000 });
}

/** A change of accounts: the list of them is asked again. */
export function useAccountAct<Said, Made = unknown>(send: (said: Said) => Promise<Made>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries({ queryKey: KEY }) });
}
