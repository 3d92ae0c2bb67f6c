import { Button } from "@mantine/core";
import { Link, useParams } from "react-router";

import { call } from "../../app/http";
import { Choose, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { type Delivery, useDeliveries, useWebhookAct, useWebhooks } from "./queries";
import { WebhookState } from "./WebhookState";

/** What was sent to this address, what did it answer, and what waits? */
export function DeliveriesPage() {
  const { title = "", webhook = "" } = useParams();
  const filters = useFilters();
  const webhooks = useWebhooks(title);
  const deliveries = useDeliveries(title, webhook, { ...filters.asked, limit: "25" });
  const found = webhooks.data?.items.find((w) => w.name === webhook);
  return (
    <>
      <PageHead title={`Webhook ${webhook}`}>
        {found && (
          <>
            <WebhookState of={found} /> · <span className="path">{found.address}</span> ·{" "}
          </>
        )}
        <Link to={`/titles/${title}/webhooks`}>all webhooks</Link>
      </PageHead>
      <div className="filters">
        <Choose of={filters} name="state" label="State" every="Every state" data={["waiting", "taken", "given-up"]} w={150} />
      </div>
      <Panel title="Events" aside="newest first; kept for a month" flush>
        <Answer of={deliveries} rows={6}>
          {(page) =>
            page.items.length ? (
              <>
                <Rows title={title} webhook={webhook} items={page.items} />
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            ) : (
              <Empty>{Object.keys(filters.asked).length ? "No event is like that." : "Nothing has happened since it was added."}</Empty>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}

function Rows({ title, webhook, items }: { title: string; webhook: string; items: Delivery[] }) {
  const resend = useWebhookAct(title, (id: string) =>
    call<Delivery>(`/titles/${title}/webhooks/${webhook}/deliveries/${id}/resend`, { method: "POST" }),
  );
  return (
    <>
      {resend.error && <Failure error={resend.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Event</th>
            <th>State</th>
            <th className="wide">Answer</th>
            <th className="number wide">Tries</th>
            <th className="number wide">Took</th>
            <th className="wide">When</th>
            <th className="number">Act</th>
          </tr>
        </thead>
        <tbody>
          {items.map((d) => {
            const may = d.allowed_actions.find((a) => a.name === "resend");
            return (
              <tr key={d.id}>
                <td>
                  {d.sentence} <span className="dim">{d.act}</span>
                </td>
                <td className="tight">
                  <State of={d} />
                </td>
                <td className="wide path">
                  {d.status > 0 && <b>{d.status} </b>}
                  <span className="dim">{d.answer.slice(0, 160)}</span>
                </td>
                <td className="number wide">{d.tries}</td>
                <td className="number wide">{d.tries > 0 && `${d.milliseconds.toLocaleString("en")} ms`}</td>
                <td className="wide tight">
                  <When at={d.at} />
                </td>
                <td className="number">
                  <Button
                    size="compact-xs"
                    variant="default"
                    disabled={!may?.possible}
                    title={may?.reason}
                    loading={resend.isPending && resend.variables === d.id}
                    onClick={() => resend.mutate(d.id)}
                  >
                    Send again
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

function State({ of }: { of: Delivery }) {
  if (of.state === "taken") return <span className="came">✓ taken</span>;
  if (of.state === "given-up") return <span className="severity blocker">✗ given up</span>;
  return of.tries ? (
    <span className="severity warning">
      ▲ again <When at={of.next_at} />
    </span>
  ) : (
    <span className="dim">on its way</span>
  );
}
