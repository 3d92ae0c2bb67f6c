import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Failure, Loading, PageHead } from "../../ui/parts";
import type { Account } from "./queries";

/** Back from a storefront: what it sent along becomes the account's access, once. */
export function StorefrontReturnPage() {
  const [said] = useSearchParams();
  const go = useNavigate();
  const { mutate, error } = useMutation({
    mutationFn: (body: Schemas["ConsentReturn"]) => call<Account>("/storefronts/return", { method: "POST", body }),
    onSuccess: () => void go("/storefronts", { replace: true }),
  });
  useEffect(() => {
    const of = (name: string) => said.get(name) ?? "";
    mutate({ state: of("state"), code: of("code"), error: of("error"), iss: of("iss") });
  }, [said, mutate]);
  return (
    <>
      <PageHead title="Back from the storefront" />
      {error ? (
        <>
          <Failure error={error} />
          <Link to="/storefronts">To the storefronts</Link>
        </>
      ) : (
        <Loading />
      )}
    </>
  );
}
