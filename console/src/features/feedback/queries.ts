import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { atBuild } from "../testing/queries";

export type Feedback = Schemas["Feedback"];

export function useFeedbackList(title: string, asked: Record<string, string>) {
  const query = new URLSearchParams(asked);
  return useQuery({
    queryKey: ["feedback", title, query.toString()],
    queryFn: () => call<Schemas["Page_Feedback_"]>(`/titles/${title}/feedback?${query}`),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });
}

export function useFeedback(title: string, number: string) {
  return useQuery({
    queryKey: ["feedback", title, "one", number],
    queryFn: () => call<Feedback>(`/titles/${title}/feedback/${number}`),
    refetchInterval: 10_000,
  });
}

/** `what`: answer, close, reopen. */
export function useFeedbackAct(title: string, number: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ what, body }: { what: string; body: unknown }) =>
      call<Feedback>(`/titles/${title}/feedback/${number}/${what}`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["feedback", title] }),
  });
}

export function useOwnFeedback() {
  return useQuery({
    queryKey: ["testing", "feedback"],
    queryFn: () => call<Schemas["Page_Feedback_"]>("/testing/feedback"),
    refetchInterval: 15_000,
  });
}

export function useReply(id: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (text: string) => call<Feedback>(`/testing/feedback/${id}/reply`, { method: "POST", body: { text } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["testing", "feedback"] }),
  });
}

export function useSay(title: string, channel: string, build: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["FeedbackIn"]) => call<Feedback>(`${atBuild(title, channel, build)}/feedback`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["testing", "feedback"] }),
  });
}
