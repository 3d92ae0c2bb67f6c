import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type Studio = Schemas["StudioOut"];
export type VerifiedAt = Schemas["VerifiedAt"];
export type Act = Schemas["Action"];

const KEY = ["studio"];

export function useStudio() {
  return useQuery({ queryKey: KEY, queryFn: () => call<Studio>("/studio"), refetchInterval: 15_000 });
}

/** A change of the studio: what it answers is what there is now; who is signed in is told whether it is verified. */
export function useStudioAct<Said = void>(send: (said: Said) => Promise<Studio>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (found) => {
      queries.setQueryData(KEY, found);
      return queries.invalidateQueries({ queryKey: ["session"] });
    },
  });
}
