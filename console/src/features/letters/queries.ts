import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type NoticeChoice = Schemas["NoticeChoice"];
export type NoticeTime = NoticeChoice["time"];
type NoticeChoices = Schemas["NoticeChoices"];

const KEY = ["notices"];

export function useNoticeChoices() {
  return useQuery({ queryKey: KEY, queryFn: () => call<NoticeChoices>("/account/notices") });
}

/** The answer is what holds from now on. */
export function useChooseNotice() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["NoticeChoiceIn"]) => call<NoticeChoices>("/account/notices", { method: "PUT", body }),
    onSuccess: (found) => queries.setQueryData(KEY, found),
  });
}
