import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Board = Schemas["Board"];
export type BoardTitle = Schemas["BoardTitle"];
export type BoardLine = Schemas["BoardLine"];
export type BoardBuild = Schemas["BoardBuild"];
export type BoardChange = Schemas["BoardChange"];

/** Now, looked at again every few seconds; or as it was at a moment, which does not change. */
export function useBoard(at: string) {
  const asked = new URLSearchParams(at ? { at } : {});
  return useQuery({
    queryKey: ["board", at],
    queryFn: () => call<Board>(`/board?${asked}`),
    refetchInterval: at ? false : 5_000,
    placeholderData: keepPreviousData,
  });
}
