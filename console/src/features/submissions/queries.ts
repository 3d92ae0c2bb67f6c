import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Submission = Schemas["SubmissionOut"];
export type SubmissionRow = Schemas["SubmissionRowOut"];
export type Plan = Schemas["SubmissionPlan"];
export type PlanFor = Schemas["PlanFor"];
export type Need = Schemas["NeedOut"];
export type Act =
  | "stop"
  | "go-on-sending"
  | "send-again"
  | "answer"
  | "appeal"
  | "withdraw"
  | "go-live"
  | "share"
  | "hold"
  | "go-on"
  | "roll-back";

const EVERY = 3_000;

export function useSubmissions(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked).toString();
  return useQuery({
    queryKey: ["submissions", title, query],
    queryFn: () => call<Schemas["Page_SubmissionRowOut_"]>(`/titles/${title}/submissions?${query}`),
    refetchInterval: EVERY,
    placeholderData: (before) => before,
  });
}

export function useSubmission(title: string, number: number) {
  return useQuery({
    queryKey: ["submission", title, number],
    queryFn: () => call<Submission>(`/titles/${title}/submissions/${number}`),
    refetchInterval: EVERY,
  });
}

/** What each storefront needs. It asks the storefronts: not every few seconds. */
export function usePlan(title: string, of: { build?: number; release?: number; to?: string; replaces?: number }) {
  const query = new URLSearchParams();
  if (of.build) query.set("build", String(of.build));
  if (of.release) query.set("release", String(of.release));
  if (of.to) query.set("to", of.to);
  if (of.replaces) query.set("replaces", String(of.replaces));
  return useQuery({
    queryKey: ["submission-plan", title, query.toString()],
    queryFn: () => call<Plan>(`/titles/${title}/submission-plan?${query}`),
    enabled: Boolean(of.build || of.release),
    staleTime: 0,
  });
}

export function useSubmit(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ body, key }: { body: Schemas["NewSubmissions"]; key: string }) =>
      call<Schemas["MadeSubmissions"]>(`/titles/${title}/submissions`, { method: "POST", body, key }),
    onSuccess: () => queries.invalidateQueries(),
  });
}

export function useAct(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { act: Act; text?: string; share?: number }) =>
      call<Submission>(`/titles/${title}/submissions/${number}/acts`, { method: "POST", body }),
    onSuccess: (made) => {
      queries.setQueryData(["submission", title, number], made);
      return queries.invalidateQueries();
    },
  });
}

export function useLook(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<Submission>(`/titles/${title}/submissions/${number}/look`, { method: "POST" }),
    onSuccess: (made) => queries.setQueryData(["submission", title, number], made),
  });
}

export function useRules() {
  return useQuery({ queryKey: ["studio-rules"], queryFn: () => call<Schemas["RuleList"]>("/studio-rules") });
}

export function useRuleAct<Said>(send: (said: Said) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries() });
}
