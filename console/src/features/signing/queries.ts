import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Key = Schemas["Key"];

export function useKeys() {
  return useQuery({ queryKey: ["keys"], queryFn: () => call<Schemas["Page_Key_"]>("/keys"), refetchInterval: 15_000 });
}

export function useKey(name: string) {
  return useQuery({ queryKey: ["keys", name], queryFn: () => call<Key>(`/keys/${name}`), refetchInterval: 15_000 });
}

export function useUses(name: string) {
  return useQuery({ queryKey: ["keys", name, "uses"], queryFn: () => call<Schemas["KeyUses"]>(`/keys/${name}/uses`) });
}

export function useUnlock(name: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { passphrase: string; minutes: number }) => call<Key>(`/keys/${name}/unlock`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["keys"] }),
  });
}

export function useLock(name: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Key>(`/keys/${name}/lock`, { method: "POST" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["keys"] }),
  });
}

export function useGrants(title: string) {
  return useQuery({ queryKey: ["grants", title], queryFn: () => call<Schemas["Grants"]>(`/titles/${title}/grants`) });
}

export function useReSign(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (build: number) => call<Schemas["ReSigned"]>(`/titles/${title}/builds/${build}/re-sign`, { method: "POST", body: {} }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["grants", title] }),
  });
}

export function useMakeGrant(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { profile: string; days: number }) => call<Schemas["GrantOut"]>(`/titles/${title}/grants`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["grants", title] }),
  });
}
