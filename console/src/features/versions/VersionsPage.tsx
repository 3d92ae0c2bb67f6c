import { Button, NumberInput, Select, TextInput } from "@mantine/core";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";

/** Which version code comes next, and who holds which? */
export function VersionsPage() {
  const { title = "" } = useParams();
  const next = useQuery({
    queryKey: ["versions", title, "next"],
    queryFn: () => call<Schemas["NextCodes"]>(`/titles/${title}/versions/next`),
  });
  const places = [...new Set(next.data?.items.map((n) => n.place) ?? [])];
  return (
    <>
      <PageHead title="Version codes">
        A code is given once, to one build, and only rises at a storefront. What failed burned its own.
      </PageHead>
      <Panel title="Next" flush>
        <Answer of={next} rows={6}>
          {({ items }) => <Next items={items} />}
        </Answer>
      </Panel>
      <div style={{ marginTop: 16 }}>
        <Held title={title} places={places} />
      </div>
      <div style={{ marginTop: 16 }}>
        <Panel title="A code that a storefront knows already">
          <Take title={title} places={places} />
        </Panel>
      </div>
    </>
  );
}

function Next({ items }: { items: Schemas["NextCode"][] }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Profile</th>
          <th>Rises at</th>
          <th>Version</th>
          <th className="wide">Formed by</th>
          <th className="number">Next code</th>
          <th className="number wide">Limit</th>
        </tr>
      </thead>
      <tbody>
        {items.map((n) => (
          <tr key={n.profile}>
            <td>{n.profile}</td>
            <td>{n.place}</td>
            <td className="tight">{n.version_name}</td>
            <td className="wide">{n.forming}</td>
            <td className="number">
              {n.code === null ? (
                <span style={{ color: "var(--r-blocker)" }} title={n.hint}>
                  ■ none: {n.stops}
                </span>
              ) : (
                n.code.toLocaleString("en")
              )}
            </td>
            <td className="number wide">{n.limit.toLocaleString("en")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const STATES: Record<string, [string, string]> = {
  held: ["○", "var(--r-accent)"],
  used: ["✓", "var(--r-done)"],
  burned: ["▲", "var(--r-warning)"],
  taken: ["■", "var(--r-blocker)"],
};

function Held({ title, places }: { title: string; places: string[] }) {
  const [search, setSearch] = useSearchParams();
  const place = search.get("at");
  const held = useInfiniteQuery({
    queryKey: ["versions", title, "held", place],
    queryFn: ({ pageParam }) =>
      call<Schemas["Page_CodeHeld_"]>(
        `/titles/${title}/versions?limit=50${place ? `&place=${place}` : ""}${pageParam ? `&cursor=${pageParam}` : ""}`,
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const rows = held.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <Panel
      title="Given so far"
      aside={
        <Select
          aria-label="Storefront or platform"
          size="xs"
          placeholder="everywhere"
          clearable
          data={places}
          value={place}
          onChange={(v) => setSearch(v ? { at: v } : {})}
          w={160}
        />
      }
      flush
    >
      <Answer of={held} rows={8}>
        {() =>
          rows.length === 0 ? (
            <Empty command="bin/rampa run start">No version code was given yet: the first build takes the first one.</Empty>
          ) : (
            <>
              <table className="rows">
                <thead>
                  <tr>
                    <th className="number">Code</th>
                    <th>At</th>
                    <th className="wide">Version</th>
                    <th>State</th>
                    <th>Held by</th>
                    <th className="wide">Identifier</th>
                    <th className="wide">When</th>
                  </tr>
                </thead>
                <tbody>
                  {rows.map((h) => (
                    <tr key={`${h.identifier} ${h.place} ${h.platform} ${h.code}`}>
                      <td className="number">{h.code.toLocaleString("en")}</td>
                      <td>{h.place}</td>
                      <td className="tight wide">{h.version_name || "–"}</td>
                      <td className="tight" style={{ color: STATES[h.state]?.[1] }}>
                        <span aria-hidden>{STATES[h.state]?.[0]}</span> {h.state}
                      </td>
                      <td>{h.build ? <Link to={`/titles/${title}/builds/${h.build}`}>{h.why}</Link> : h.why}</td>
                      <td className="wide">{h.identifier}</td>
                      <td className="wide tight">
                        <When at={h.at} /> <span className="dim">by {h.by}</span>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              {held.hasNextPage && (
                <div style={{ padding: 10 }}>
                  <Button size="compact-md" variant="default" loading={held.isFetchingNextPage} onClick={() => held.fetchNextPage()}>
                    Older ones
                  </Button>
                </div>
              )}
            </>
          )
        }
      </Answer>
    </Panel>
  );
}

function Take({ title, places }: { title: string; places: string[] }) {
  const [place, setPlace] = useState<string | null>(null);
  const [code, setCode] = useState<number | string>("");
  const [note, setNote] = useState("");
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: () =>
      call<Schemas["CodeHeld"]>(`/titles/${title}/versions/taken`, { method: "POST", body: { place, code: Number(code), note } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["versions", title] }),
  });
  return (
    <form
      style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}
      onSubmit={(e) => {
        e.preventDefault();
        if (place) take.mutate();
      }}
    >
      <Select required label="Storefront or platform" data={places} value={place} onChange={setPlace} w={190} />
      <NumberInput required label="Version code" min={1} value={code} onChange={setCode} w={150} />
      <TextInput label="How it came there" value={note} onChange={(e) => setNote(e.currentTarget.value)} w={320} />
      <Button type="submit" loading={take.isPending} disabled={!place || !code}>
        Never give it again
      </Button>
      {take.error && (
        <div style={{ flexBasis: "100%" }}>
          <Failure error={take.error} />
        </div>
      )}
    </form>
  );
}
