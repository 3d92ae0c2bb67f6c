import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { ApiError, call, rememberCsrf, type Schemas } from "../../app/http";

type Session = Schemas["Session"];

async function load(): Promise<Session | null> {
  try {
    const session = await call<Session>("/session");
    rememberCsrf(session.csrf_token);
    return session;
  } catch (error) {
    if (error instanceof ApiError && error.status === 401) return null;
    throw error;
  }
}

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: load, staleTime: 60_000 });
}

export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["SignIn"]) => call<Session>("/session", { method: "POST", body }),
    onSuccess: (session) => {
      rememberCsrf(session.csrf_token);
      queries.setQueryData(["session"], session);
    },
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<void>("/session", { method: "DELETE" }),
    onSuccess: () => {
      queries.clear();
      queries.setQueryData(["session"], null);
    },
  });
}
