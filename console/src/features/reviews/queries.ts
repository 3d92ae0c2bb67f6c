import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type ReviewRow = Schemas["ReviewRowOut"];
export type Review = Schemas["BuildReview"];
export type Week = Schemas["WeekOut"];
export type ReviewAct = Schemas["ReviewAct"];

export function useReviews(asked: Record<string, string>) {
  const query = new URLSearchParams(asked).toString();
  return useQuery({
    queryKey: ["reviews", query],
    queryFn: () => call<Schemas["Page_ReviewRowOut_"]>(`/reviews?${query}`),
    refetchInterval: 5_000,
    placeholderData: (before) => before,
  });
}

export function useReview(title: string, number: number) {
  return useQuery({
    queryKey: ["review", title, number],
    queryFn: () => call<Review>(`/titles/${title}/reviews/${number}`),
    refetchInterval: 10_000,
  });
}

export function useTimes() {
  return useQuery({ queryKey: ["review-times"], queryFn: () => call<Schemas["ReviewTimes"]>("/reviews/times") });
}

export function useReviewAct(title: string, number: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: ReviewAct) => call<Review>(`/titles/${title}/reviews/${number}/acts`, { method: "POST", body }),
    onSuccess: (made) => {
      queries.setQueryData(["review", title, number], made);
      return queries.invalidateQueries({ queryKey: ["reviews"] });
    },
    // Somebody else has it, or it was withdrawn: the page says how it stands now.
    onError: () => queries.invalidateQueries({ queryKey: ["review", title, number] }),
  });
}

export function usePutBefore(title: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["NewReview"]) => call<Review>(`/titles/${title}/reviews`, { method: "POST", body }),
    onSuccess: () => queries.invalidateQueries(),
  });
}
