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

/** How one can sign in here. */
export function useWays() {
  return useQuery({ queryKey: ["ways"], queryFn: () => call<Schemas["Ways"]>("/session/ways"), staleTime: Number.POSITIVE_INFINITY });
}

/** Whatever opened it: from now on this browser is signed in. */
export function useOpened() {
  const queries = useQueryClient();
  return (session: Session) => {
    rememberCsrf(session.csrf_token);
    queries.setQueryData(["session"], session);
  };
}

export function useSignIn() {
  const opened = useOpened();
  return useMutation({
    mutationFn: (body: Schemas["SignIn"]) => call<Session>("/session", { method: "POST", body }),
    onSuccess: opened,
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => call<void>("/session", { method: "DELETE" }),
    onSuccess: () => {
      // Told first, so that the pages go; what they knew goes with them. A query that is removed tells nobody.
      queries.setQueryData(["session"], null);
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== "session" });
    },
  });
}
