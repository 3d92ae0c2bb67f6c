import { Button, Group } from "@mantine/core";

interface Props {
  /** The cursor of what is older; none at the end. */
  next?: string | null;
  /** Where the list stands now; none at its newest. */
  cursor: string | null;
  go: (cursor: string | null) => void;
}

/** Onward in a list of the service's, and back to its beginning. */
export function Pager({ next, cursor, go }: Props) {
  if (!next && !cursor) return null;
  return (
    <Group p="sm" gap="xs">
      {cursor && (
        <Button size="compact-sm" variant="default" onClick={() => go(null)}>
          Newest
        </Button>
      )}
      {next && (
        <Button size="compact-sm" variant="default" onClick={() => go(next)}>
          Older
        </Button>
      )}
    </Group>
  );
}
