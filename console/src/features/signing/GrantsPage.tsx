import { Button, NumberInput, Select } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { useGrants, useMakeGrant, useReSign } from "./queries";

/** Which devices may run restricted builds, and which builds must be signed again because a device came later? */
export function GrantsPage() {
  const { title = "" } = useParams();
  const grants = useGrants(title);
  return (
    <>
      <PageHead title="Grants">Some platforms run a test build only on devices that a signed list names.</PageHead>
      <Answer of={grants} rows={4}>
        {(g) => (
          <div style={{ display: "grid", gap: 16 }}>
            {g.behind.length > 0 && (
              <Panel title="To be signed again" aside="nothing is rebuilt">
                <Behind behind={g.behind} title={title} />
              </Panel>
            )}
            <Panel title="Grants" flush>
              {g.items.length === 0 ? (
                <Empty command="bin/rampa grant make PROFILE">There is no grant yet. Register devices, then make one:</Empty>
              ) : (
                <List items={g.items} title={title} />
              )}
            </Panel>
            <Panel title="Make a grant">
              <Make title={title} />
            </Panel>
          </div>
        )}
      </Answer>
    </>
  );
}

function Behind({ behind, title }: { behind: Schemas["Behind"][]; title: string }) {
  const sign = useReSign(title);
  return (
    <>
      {sign.error && <Failure error={sign.error} />}
      {behind.map((b) => (
        <div key={b.build} style={{ display: "flex", gap: 10, alignItems: "center", marginBottom: 6, flexWrap: "wrap" }}>
          <span style={{ color: "var(--r-warning)" }}>▲</span>
          <Link to={`/titles/${title}/builds/${b.build}`} style={{ textDecoration: "underline" }}>
            {b.name}
          </Link>
          <span>
            {b.grant ? `has grant ${b.grant}` : "has no grant"} and does not run on {b.devices.join(", ")}
          </span>
          {b.newest ? (
            <span className="dim">
              Make a grant for {b.profile} first: none lists {b.devices.length > 1 ? "them" : "it"}.
            </span>
          ) : (
            <Button size="compact-xs" variant="default" loading={sign.isPending} onClick={() => sign.mutate(b.build)}>
              Sign again with the newest grant
            </Button>
          )}
        </div>
      ))}
    </>
  );
}

function List({ items, title }: { items: Schemas["GrantOut"][]; title: string }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="number">Grant</th>
          <th className="wide">For</th>
          <th>Purpose</th>
          <th>Devices</th>
          <th>Ends</th>
          <th className="wide">Signed by</th>
          <th>Builds</th>
        </tr>
      </thead>
      <tbody>
        {items.map((g) => (
          <tr key={g.number}>
            <td className="number">{g.number}</td>
            <td className="wide">{g.identifier}</td>
            <td>{g.purpose}</td>
            <td title={g.devices.join("\n")}>{g.devices.length > 3 ? plural(g.devices.length, "device") : g.devices.join(", ")}</td>
            <td className="tight">
              {g.ended ? (
                <span style={{ color: "var(--r-warning)" }}>
                  ▲ ended <When at={g.expires_at} />
                </span>
              ) : (
                g.expires_at.slice(0, 10)
              )}
            </td>
            <td className="wide">
              <Link to={`/keys/${g.identity}`}>{g.identity}</Link>
            </td>
            <td>
              {g.builds.length === 0 && <span className="dim">none</span>}
              {g.builds.map((n) => (
                <span key={n}>
                  <Link to={`/titles/${title}/builds/${n}`}>#{n}</Link>{" "}
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Make({ title }: { title: string }) {
  const matrix = useQuery({
    queryKey: ["versions", title, "next"],
    queryFn: () => call<Schemas["NextCodes"]>(`/titles/${title}/versions/next`),
  });
  const [profile, setProfile] = useState<string | null>(null);
  const [days, setDays] = useState(90);
  const make = useMakeGrant(title);
  return (
    <form
      style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}
      onSubmit={(e) => {
        e.preventDefault();
        if (profile) make.mutate({ profile, days });
      }}
    >
      <Select
        required
        label="Profile"
        data={(matrix.data?.items ?? []).filter((n) => n.needs_grant).map((n) => n.profile)}
        value={profile}
        onChange={setProfile}
        w={240}
      />
      <NumberInput label="Days until it ends" min={1} max={366} value={days} onChange={(v) => setDays(Number(v) || 90)} w={160} />
      <Button type="submit" loading={make.isPending} disabled={!profile}>
        Sign for all registered devices
      </Button>
      {make.error && (
        <div style={{ flexBasis: "100%" }}>
          <Failure error={make.error} />
        </div>
      )}
      {make.data && (
        <span role="status">
          Grant {make.data.number} lists {plural(make.data.devices.length, "device")}.
        </span>
      )}
    </form>
  );
}
