import { call, type Schemas } from "../../app/http";

type Asked = { options: unknown };
/** More than the service wants: what is not named here stays in the browser. */
type Said<Response> = { id: string; rawId: string; response: Response };

/** A new passkey's answer to what the service asked (WebAuthn, section 5.1.3). */
export async function attest({ options }: Asked): Promise<Schemas["Attested"]> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options as PublicKeyCredentialCreationOptionsJSON);
  const made = (await said(navigator.credentials.create({ publicKey }))).toJSON() as Said<Schemas["AttestedResponse"]>;
  const { clientDataJSON, attestationObject, transports } = made.response;
  return { id: made.id, rawId: made.rawId, type: "public-key", response: { clientDataJSON, attestationObject, transports } };
}

/** A passkey's answer to what the service asked (WebAuthn, section 5.1.4). */
export async function assert({ options }: Asked): Promise<Schemas["Asserted"]> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options as PublicKeyCredentialRequestOptionsJSON);
  const made = (await said(navigator.credentials.get({ publicKey }))).toJSON() as Said<Schemas["AssertedResponse"]>;
  const { clientDataJSON, authenticatorData, signature, userHandle } = made.response;
  return { id: made.id, rawId: made.rawId, type: "public-key", response: { clientDataJSON, authenticatorData, signature, userHandle } };
}

/** Asks the person's passkey to confirm that it is them. */
export async function confirmWithPasskey(): Promise<void> {
  const asked = await call<Asked>("/session/confirmation/challenge", { method: "POST" });
  await call<void>("/session/confirmation/passkey", { method: "POST", body: await assert(asked) });
}

export function passkeysWork(): boolean {
  return typeof PublicKeyCredential !== "undefined" && "parseRequestOptionsFromJSON" in PublicKeyCredential;
}

async function said(asked: Promise<Credential | null>): Promise<PublicKeyCredential> {
  try {
    const made = await asked;
    if (made) return made as PublicKeyCredential;
  } catch (error) {
    if (error instanceof DOMException && error.name === "InvalidStateError") throw new Error("This device has a passkey of yours already.");
  }
  // The browser does not say why: whoever asks must not learn which passkeys are there.
  throw new Error("No passkey answered. Try again, and unlock it when your device asks.");
}
