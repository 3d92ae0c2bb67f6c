import { useMatches } from "./queries";

/** What a pattern matches today, before it is saved. */
export function Matches({ title, kind, pattern }: { title: string; kind: string; pattern: string }) {
  const found = useMatches(title, kind, pattern);
  if (!found.data) return null;
  const { matched, others } = found.data;
  const some = (names: string[]) => names.slice(0, 8).join(", ") + (names.length > 8 ? ` and ${names.length - 8} more` : "");
  return (
    <div style={{ fontSize: 12.5 }} role="status">
      {matched.length ? (
        <>
          matches today: <b>{some(matched)}</b>
        </>
      ) : (
        <b style={{ color: "var(--r-warning)" }}>▲ matches nothing today</b>
      )}
      {others.length > 0 && <span className="dim"> · not: {some(others)}</span>}
    </div>
  );
}
