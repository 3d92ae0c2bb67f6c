import type { ReactNode } from "react";

import { Failure, Loading } from "../../ui/parts";
import { useSession } from "./queries";
import { SignInPage } from "./SignInPage";

/** The pages for who is signed in; for everybody else the way in, at the address that was asked for. */
export function SignedIn({ children }: { children: ReactNode }) {
  const session = useSession();
  if (session.data) return children;
  if (session.data === null) return <SignInPage />;
  if (session.error) return <Failure error={session.error} retry={() => void session.refetch()} />;
  return <Loading />;
}
