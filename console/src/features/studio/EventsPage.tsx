import { Button } from "@mantine/core";
import { useInfiniteQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { bytes, duration } from "../../ui/format";
import { Empty, Failure, Loading, PageHead, Panel, When } from "../../ui/parts";

type Page = Schemas["Page_AuditEvent_"];

/** Who did what, when? */
export function EventsPage() {
  const events = useInfiniteQuery({
    queryKey: ["events"],
    queryFn: ({ pageParam }) => call<Page>(`/events?limit=50${pageParam ? `&cursor=${pageParam}` : ""}`),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const rows = events.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <>
      <PageHead title="Events">Every change, with who made it.</PageHead>
      <Panel title="Newest first" flush>
        {events.error && <Failure error={events.error} retry={() => void events.refetch()} />}
        {events.isPending && <Loading />}
        {events.data && rows.length === 0 && <Empty>Nothing happened yet.</Empty>}
        {rows.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th>When</th>
                <th>Who</th>
                <th>Act</th>
                <th>What</th>
                <th className="wide">Detail</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((e) => (
                <tr key={e.id}>
                  <td className="tight">
                    <When at={e.at} />
                  </td>
                  <td>{e.who}</td>
                  <td className="tight">{e.act}</td>
                  <td>{e.subject}</td>
                  <td className="wide dim path">{detail(e.detail)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
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

const SIZES = new Set(["size", "downloaded", "reused", "written"]);

function detail(of: Record<string, unknown>): string {
  return Object.entries(of)
    .filter(([, value]) => value !== "" && value !== 0)
    .map(([name, value]) => {
      if (SIZES.has(name) && typeof value === "number") return `${name} ${bytes(value)}`;
      if (name === "seconds" && typeof value === "number") return `in ${duration(value)}`;
      const text = String(value);
      return `${name} ${/^[0-9a-f]{40,}$/.test(text) ? `${text.slice(0, 12)}…` : text}`;
    })
    .join(", ");
}
