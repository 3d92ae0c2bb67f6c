import { Stack } from "@mantine/core";

import { PageHead, Panel } from "../../ui/parts";
import { LettersPanel } from "../letters/LettersPanel";
import { Codes } from "./Codes";
import { Passkeys } from "./Passkeys";
import { useSession } from "./queries";

/** What signs me in? */
export function AccountPage() {
  const { data: session } = useSession();
  if (!session) return null;
  const { person } = session;
  return (
    <>
      <PageHead title={person.name} />
      <p className="dim">
        {person.email}, {person.role} of {session.studio}.{" "}
        {person.by_provider ? (
          "You sign in by the studio's own sign-in."
        ) : (
          <>
            Change your password with <code>rampa person password</code>.
          </>
        )}
      </p>
      <p className="dim" style={{ maxWidth: 720 }}>
        {person.second_factor
          ? "What matters asks for your second factor again: giving a signing identity out or handing it over, changing the master key, and who may do what."
          : "Whoever learns your password signs in as you. A second factor keeps them out: a passkey, or codes of an app."}
      </p>
      <Stack gap="md">
        <Panel title="Passkeys">
          <Passkeys session={session} />
        </Panel>
        <Panel title="Codes of an app">
          <div style={{ maxWidth: 560 }}>
            <Codes session={session} />
          </div>
        </Panel>
        {person.role !== "tester" && person.role !== "reviewer" && <LettersPanel />}
      </Stack>
    </>
  );
}
