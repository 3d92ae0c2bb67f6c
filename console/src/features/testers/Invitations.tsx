import { Button } from "@mantine/core";

import { call } from "../../app/http";
import { Choose, Search, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, Failure, Panel, When } from "../../ui/parts";
import { type Invitation, useChange, useInvitations } from "./queries";

const STATES = ["open", "accepted", "declined", "withdrawn", "expired"];

/** Who answered, and whose letter did not go? */
export function Invitations({ title }: { title: string }) {
  const filters = useFilters();
  const invitations = useInvitations(title, { ...filters.asked, limit: "25" });
  return (
    <>
      <div className="filters">
        <Search of={filters} label="Search names and addresses" w={230} />
        <Choose of={filters} name="state" label="State" every="Every state" data={STATES} w={150} />
      </div>
      <Panel title="Invitations" aside="newest first" flush>
        <Answer of={invitations} rows={6}>
          {(page) =>
            page.items.length ? (
              <>
                <Rows title={title} items={page.items} />
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            ) : (
              <Empty>{Object.keys(filters.asked).length ? "No invitation is like that." : "Nobody was invited yet."}</Empty>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}

function Rows({ title, items }: { title: string; items: Invitation[] }) {
  const act = useChange(title, ({ id, what }: { id: string; what: string }) =>
    call(`/titles/${title}/invitations/${id}/${what}`, { method: "POST" }),
  );
  return (
    <>
      {act.error && <Failure error={act.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Address</th>
            <th className="wide">Name</th>
            <th>Group</th>
            <th>State</th>
            <th className="wide">Invited</th>
            <th className="number">Act</th>
          </tr>
        </thead>
        <tbody>
          {items.map((i) => (
            <tr key={i.id}>
              <td className="path">{i.email}</td>
              <td className="wide">{i.name}</td>
              <td>{i.group}</td>
              <td>
                <State invitation={i} />
              </td>
              <td className="wide tight">
                <When at={i.created_at} /> <span className="dim">by {i.invited_by}</span>
              </td>
              <td className="number tight">
                {["resend", "withdraw"]
                  .filter((what) => i.allowed_actions.some((a) => a.name === what && a.possible))
                  .map((what) => (
                    <Button
                      key={what}
                      size="compact-xs"
                      variant="default"
                      ml={4}
                      loading={act.isPending && act.variables.id === i.id && act.variables.what === what}
                      onClick={() => act.mutate({ id: i.id, what })}
                      aria-label={what === "resend" ? `Send again to ${i.email}` : `Withdraw ${i.email}`}
                    >
                      {what === "resend" ? "Send again" : "Withdraw"}
                    </Button>
                  ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function State({ invitation: i }: { invitation: Invitation }) {
  if (i.expired) return <span className="severity warning">▲ expired</span>;
  if (i.state !== "open") return i.state;
  if (i.unsent)
    return (
      <>
        open{" "}
        <span className="severity warning" style={{ whiteSpace: "normal" }}>
          ▲ {i.unsent}
        </span>
      </>
    );
  return i.sent_at ? (
    <>
      open until <When at={i.expires_at} />
    </>
  ) : (
    "open, its letter waits"
  );
}
