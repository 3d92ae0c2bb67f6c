import { Button } from "@mantine/core";

/** Pictures that a tester sent; each opens whole. */
export function Pictures({ ids, remove }: { ids: string[]; remove?: (id: string) => void }) {
  if (ids.length === 0) return null;
  return (
    <div style={{ display: "flex", gap: 8, flexWrap: "wrap", marginTop: 10 }}>
      {ids.map((id, n) => (
        <div key={id}>
          <a href={`/api/v1/testing/pictures/${id}`} target="_blank" rel="noreferrer">
            <img
              src={`/api/v1/testing/pictures/${id}`}
              alt={`What was seen, ${n + 1}`}
              style={{ height: 96, borderRadius: 4, display: "block" }}
            />
          </a>
          {remove && (
            <Button size="compact-xs" variant="subtle" color="gray" onClick={() => remove(id)} aria-label={`Leave out, ${n + 1}`}>
              Leave out
            </Button>
          )}
        </div>
      ))}
    </div>
  );
}
