import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Group = Schemas["Group"];
export type Tester = Schemas["Tester"];
export type Invitation = Schemas["TesterInvitation"];
export type Access = Schemas["Access"];
export type Preview = Schemas["InvitePreview"];

export function useGroups(title: string) {
  return useQuery({ queryKey: ["testers", title, "groups"], queryFn: () => call<Schemas["Groups"]>(`/titles/${title}/groups`) });
}

export function useTesters(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["testers", title, "people", query.toString()],
    queryFn: () => call<Schemas["Page_Tester_"]>(`/titles/${title}/testers?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });
}

export function useInvitations(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["testers", title, "invitations", query.toString()],
    queryFn: () => call<Schemas["Page_TesterInvitation_"]>(`/titles/${title}/invitations?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });
}

export function useAccess(title: string, channel: string) {
  return useQuery({
    queryKey: ["testers", title, "access", channel],
    queryFn: () => call<Schemas["AccessList"]>(`/titles/${title}/channels/${channel}/access`),
  });
}

/** A change of who tests a title: every list of them is asked again. */
export function useChange<Said>(title: string, send: (said: Said) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries({ queryKey: ["testers", title] }) });
}

export function previewList(title: string, group: string, addresses: string): Promise<Preview> {
  return call<Preview>(`/titles/${title}/groups/${group}/invitations/preview`, { method: "POST", body: { addresses } });
}
