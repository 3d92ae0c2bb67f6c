import { useMatrix } from "../profiles/queries";

/** A setting that the title's newest document says, as the first profile has it. */
export function useSetting(title: string, key: string): string {
  const { data } = useMatrix(title, null);
  const cell = data?.rows.find((row) => row.key === key)?.cells.find((c) => c?.origin.line);
  return cell?.text ?? "";
}
