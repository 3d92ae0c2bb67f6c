/** Bytes as base64, piece by piece: a call may have only so many arguments. */
export function base64(buffer: ArrayBuffer): string {
  const view = new Uint8Array(buffer);
  let text = "";
  for (let at = 0; at < view.length; at += 0x8000) text += String.fromCharCode(...view.subarray(at, at + 0x8000));
  return btoa(text);
}

export function unbase64(text: string): Uint8Array {
  return Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
}
