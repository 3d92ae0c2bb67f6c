import { type ComboboxData, Select, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";

import { altered } from "./search";

/** Filters that stand in the address, so that a list can be shared. Setting one begins at the first page again.
 * `quiet`: the way back leads past them. */
export function useFilters(quiet = false) {
  const [search, setSearch] = useSearchParams();
  return {
    asked: Object.fromEntries(search.entries()),
    get: (name: string) => search.get(name),
    set: (name: string, value: string | null, replace = quiet) =>
      setSearch((now) => altered(now, { cursor: null, [name]: value }), { replace }),
  };
}

export type Filters = ReturnType<typeof useFilters>;

/** One value of some, or none: `every` says what is shown then. */
export function Choose({
  of,
  name,
  label,
  every,
  data,
  w,
}: {
  of: Filters;
  name: string;
  label: string;
  every: string;
  data: ComboboxData;
  w?: number;
}) {
  return (
    <Select
      aria-label={label}
      placeholder={every}
      size="xs"
      clearable
      clearButtonProps={{ "aria-label": every }}
      w={w}
      data={data}
      value={of.get(name)}
      onChange={(v) => of.set(name, v)}
    />
  );
}

/** Text that is searched for a moment after the last key, not with each of them. */
export function Search({ of, label, w }: { of: Filters; label: string; w: number }) {
  const there = of.get("search") ?? "";
  const [typed, setTyped] = useState(there);
  const [settled] = useDebouncedValue(typed, 250);
  useEffect(() => {
    if (settled !== there) of.set("search", settled, true);
  }, [settled]);
  return (
    <TextInput aria-label={label} placeholder={label} size="xs" value={typed} onChange={(e) => setTyped(e.currentTarget.value)} w={w} />
  );
}
