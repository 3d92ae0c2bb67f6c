/** Which platform this browser runs on, as far as it says so (User-Agent Client Hints, else its user agent text). */
export function platformHere(): string {
  const hinted = (navigator as { userAgentData?: { platform?: string } }).userAgentData?.platform ?? "";
  const said = `${hinted} ${navigator.userAgent}`;
  // The order counts: a phone's browser names the kernel, too, and a tablet may call itself a desktop.
  if (/android/i.test(said)) return "android";
  if (/iphone|ipad|\bios\b/i.test(said) || (/mac/i.test(said) && navigator.maxTouchPoints > 1)) return "ios";
  if (/windows/i.test(said)) return "windows";
  if (/mac/i.test(said)) return "macos";
  return /linux/i.test(said) ? "linux" : "";
}

const NAMES: Record<string, string> = { android: "Android", ios: "iOS", windows: "Windows", macos: "macOS", linux: "Linux" };

export function platformName(platform: string): string {
  return NAMES[platform] ?? platform;
}

/** Of notes in several languages, the one that this browser's person reads best; English, else the first, where none fits. */
export function noteHere<N extends { language: string }>(notes: N[]): N | undefined {
  for (const wanted of navigator.languages ?? [navigator.language]) {
    const found = notes.find((n) => n.language === wanted) ?? notes.find((n) => n.language.split("-")[0] === wanted.split("-")[0]);
    if (found) return found;
  }
  return notes.find((n) => n.language.startsWith("en")) ?? notes[0];
}
