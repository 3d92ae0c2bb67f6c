/** The key of the device that this browser runs on: made here, never given out (Web Cryptography Level 2, Ed25519), kept in IndexedDB. */

const STORE = "keys";

function opened(): Promise<IDBDatabase> {
  return new Promise((done, failed) => {
    const asked = indexedDB.open("rampa-device", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE);
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });
}

async function keep(name: string, pair: CryptoKeyPair): Promise<void> {
  const db = await opened();
  await new Promise<void>((done, failed) => {
    const change = db.transaction(STORE, "readwrite");
    change.objectStore(STORE).put(pair, name);
    change.oncomplete = () => done();
    change.onerror = () => failed(change.error);
  });
  db.close();
}

function hex(bytes: ArrayBuffer): string {
  return Array.from(new Uint8Array(bytes), (b) => b.toString(16).padStart(2, "0")).join("");
}

/** What is signed for a code: as rampa.core.devices.proof says it. */
export async function registrationMessage(code: string): Promise<Uint8Array<ArrayBuffer>> {
  const plain = code.trim().toUpperCase().replace(/[- ]/g, "");
  const text = new TextEncoder();
  const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", text.encode(plain)));
  return new Uint8Array([...text.encode("rampa device registration\0"), ...digest]);
}

/** A new key for a device, and its proof for the code. Throws where the browser gives pages no keys: outside HTTPS, or too old. */
export async function newKey(code: string): Promise<{ publicKey: string; proof: string; save: (name: string) => Promise<void> }> {
  if (!window.isSecureContext || !crypto.subtle)
    throw new Error("This browser makes keys only on pages that come by HTTPS. Ask whoever runs the service for such an address.");
  const pair = (await crypto.subtle.generateKey({ name: "Ed25519" }, false, ["sign", "verify"])) as CryptoKeyPair;
  const proof = await crypto.subtle.sign({ name: "Ed25519" }, pair.privateKey, await registrationMessage(code));
  const publicKey = await crypto.subtle.exportKey("raw", pair.publicKey);
  return { publicKey: hex(publicKey), proof: hex(proof), save: (name) => keep(name, pair) };
}
