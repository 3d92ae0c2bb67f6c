import { Button, Group, Select, TextInput } from "@mantine/core";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { call, type Schemas } from "../../app/http";
import { useFilters } from "../../ui/filters";
import { bytes, duration } from "../../ui/format";
import { Empty, Failure, Loading, PageHead, Panel, When } from "../../ui/parts";
import { useTitles } from "../titles/queries";
import { addressOf } from "./address";

type Event = Schemas["AuditEvent"];
const FILTERS = ["who", "act", "title", "day"] as const;

/** Who did what, when? */
export function EventsPage() {
  const { get, set } = useFilters(true);
  const filters = Object.fromEntries(FILTERS.flatMap((name) => (get(name) ? [[name, get(name)!]] : [])));
  const events = useInfiniteQuery({
    queryKey: ["events", filters],
    queryFn: ({ pageParam }) =>
      call<Schemas["Page_AuditEvent_"]>(
        `/events?${new URLSearchParams({ limit: "50", ...filters, ...(pageParam && { cursor: pageParam }) })}`,
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const rows = events.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <>
      <PageHead title="Events" aside={<Webhooks title={get("title")} />}>
        Every change, with who made it.
      </PageHead>
      <Filters of={filters} set={set} />
      <Panel title="Newest first" flush>
        {events.error && <Failure error={events.error} retry={() => void events.refetch()} />}
        {events.isPending && <Loading />}
        {events.data && rows.length === 0 && (
          <Empty>{Object.keys(filters).length ? "Nothing that was asked for happened." : "Nothing happened yet."}</Empty>
        )}
        {rows.length > 0 && <Rows rows={rows} />}
        {events.hasNextPage && (
          <div style={{ padding: 10 }}>
            <Button size="compact-sm" variant="default" loading={events.isFetchingNextPage} onClick={() => void events.fetchNextPage()}>
              Older events
            </Button>
          </div>
        )}
      </Panel>
    </>
  );
}

/** Where events of a title go by themselves. */
function Webhooks({ title }: { title: string | null }) {
  const { data: titles } = useTitles();
  return titles?.items
    .filter((t) => !title || t.slug === title)
    .slice(0, 3)
    .map((t) => (
      <Button key={t.slug} variant="default" size="compact-sm" component={Link} to={`/titles/${t.slug}/webhooks`}>
        Webhooks of {t.name}
      </Button>
    ));
}

function Filters({ of, set }: { of: Record<string, string>; set: (name: string, value: string | null) => void }) {
  const people = useQuery({ queryKey: ["people"], queryFn: () => call<Schemas["Page_Person_"]>("/people") });
  const acts = useQuery({ queryKey: ["acts"], queryFn: () => call<Schemas["Acts"]>("/events/acts"), staleTime: Infinity });
  const { data: titles } = useTitles();
  return (
    <Group gap="sm" mb="sm" align="end">
      <Select
        label="Person"
        size="xs"
        clearable
        searchable
        placeholder="Everybody"
        data={[...new Set(people.data?.items.map((p) => p.name) ?? [])]}
        value={of.who ?? null}
        onChange={(v) => set("who", v)}
      />
      <Select
        label="Act"
        size="xs"
        clearable
        searchable
        placeholder="Every act"
        data={acts.data?.items ?? []}
        value={of.act ?? null}
        onChange={(v) => set("act", v)}
      />
      <Select
        label="Title"
        size="xs"
        clearable
        placeholder="Every title"
        data={titles?.items.map((t) => ({ value: t.slug, label: t.name })) ?? []}
        value={of.title ?? null}
        onChange={(v) => set("title", v)}
      />
      <TextInput label="Day, in UTC" size="xs" type="date" value={of.day ?? ""} onChange={(e) => set("day", e.currentTarget.value)} />
    </Group>
  );
}

function Rows({ rows }: { rows: Event[] }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>When</th>
          <th>What</th>
          <th className="wide">More</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((e) => (
          <tr key={e.id}>
            <td className="tight">
              <When at={e.at} />
            </td>
            <td className="sentence">
              <b>{e.who || "Rampa"}</b> <Sentence of={e} />
            </td>
            <td className="wide dim path">{detail(e.more)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The sentence, with a link where it names something that has a page. */
function Sentence({ of }: { of: Event }) {
  const at = of.sentence.indexOf(of.subject);
  const to = addressOf(of);
  if (at < 0 || !to) return of.sentence;
  return (
    <>
      {of.sentence.slice(0, at)}
      <Link to={to}>{of.subject}</Link>
      {of.sentence.slice(at + of.subject.length)}
    </>
  );
}

const SIZES = new Set(["size", "downloaded", "reused", "written", "frees"]);

function detail(of: Record<string, unknown>): string {
  return Object.entries(of)
    .map(([name, value]) => {
      if (SIZES.has(name) && typeof value === "number") return `${name} ${bytes(value)}`;
      if (name === "seconds" && typeof value === "number") return `in ${duration(value)}`;
      const text = Array.isArray(value) ? value.join(", ") : String(value);
      return `${name.replaceAll("_", " ")} ${/^[0-9a-f]{40,}$/.test(text) ? `${text.slice(0, 12)}…` : text}`;
    })
    .join(", ");
}
