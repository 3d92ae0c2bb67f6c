import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate, useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Failure, Loading } from "../../ui/parts";
import { WANTED } from "./OtherWays";
import { useOpened } from "./queries";

/** Back from the studio's own sign-in. */
export function ReturnPage() {
  const [said] = useSearchParams();
  const go = useNavigate();
  const opened = useOpened();
  const { mutate, error } = useMutation({
    mutationFn: (body: Schemas["ProviderReturn"]) => call<Schemas["Session"]>("/session/provider/return", { method: "POST", body }),
    onSuccess: (session) => {
      opened(session);
      const wanted = sessionStorage.getItem(WANTED) ?? "/";
      sessionStorage.removeItem(WANTED);
      void go(wanted.startsWith("/") && !wanted.startsWith("/signed-in") ? wanted : "/", { replace: true });
    },
  });
  useEffect(() => {
    const of = (name: string) => said.get(name) ?? "";
    mutate({ code: of("code"), state: of("state"), error: of("error"), iss: of("iss") });
  }, [said, mutate]);
  return (
    <main style={{ minHeight: "100vh", display: "grid", placeItems: "center", padding: 16 }}>
      <div style={{ width: "100%", maxWidth: 480 }}>
        {error ? (
          <>
            <Failure error={error} />
            <a href="/">To the sign-in page</a>
          </>
        ) : (
          <Loading />
        )}
      </div>
    </main>
  );
}
