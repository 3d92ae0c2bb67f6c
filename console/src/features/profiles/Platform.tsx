import { useSettings } from "./queries";

/** A platform as the table of platforms writes it: "iOS", "macOS". */
export function Platform({ name }: { name: string }) {
  const { data } = useSettings();
  return data?.platforms.find((p) => p.name === name)?.title ?? name;
}
