import { Button, Group } from "@mantine/core";

import type { Schemas } from "../app/http";

/** The acts of something that can be paused, let go on, and removed. `may`: whether that is possible now, and else why not. */
export function PauseRemove({
  name,
  paused,
  pausing,
  may,
  pause,
  remove,
}: {
  name: string;
  paused: boolean;
  pausing: boolean;
  may?: Schemas["Action"];
  pause: () => void;
  remove: () => void;
}) {
  const common = { size: "compact-xs", variant: "default", disabled: may && !may.possible, title: may?.reason } as const;
  const word = paused ? "Let go on" : "Pause";
  return (
    <Group gap={4} justify="flex-end" wrap="nowrap">
      <Button {...common} loading={pausing} onClick={pause} aria-label={`${word}, ${name}`}>
        {word}
      </Button>
      <Button {...common} onClick={remove} aria-label={`Remove … ${name}`}>
        Remove …
      </Button>
    </Group>
  );
}
