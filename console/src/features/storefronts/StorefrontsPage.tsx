import { Button, Stack } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { capital } from "../../ui/format";
import { Answer, Command, Empty, Fact, Failure, PageHead, Panel, When } from "../../ui/parts";
import { ConnectForm } from "./ConnectForm";
import { type Account, type Connecting, useAccountAct, useAccounts } from "./queries";

const STATES: Record<string, { mark: string; kind: string }> = {
  connected: { mark: "✓", kind: "came" },
  connecting: { mark: "●", kind: "severity note" },
  narrow: { mark: "▲", kind: "severity warning" },
  expired: { mark: "■", kind: "severity blocker" },
  revoked: { mark: "■", kind: "severity blocker" },
};

/** Where can this studio put builds before reviewers, and does it still let us in? */
export function StorefrontsPage() {
  const accounts = useAccounts();
  return (
    <>
      <PageHead title="Storefronts" aside={<Command text="bin/rampa storefront list" />}>
        The studio's accounts. Their secrets rest in the vault; access is renewed by itself, and looked at every quarter of an hour. Whether
        they know who the studio is: <Link to="/studio">the studio</Link>.
      </PageHead>
      <Stack gap="md">
        <Answer of={accounts} rows={5}>
          {(data) => (
            <>
              <Panel title="Accounts" flush>
                {data.items.length ? (
                  data.items.map((account) => <Row key={account.name} account={account} />)
                ) : (
                  <Empty command="bin/rampa storefront connect NAME --address https://HOST">
                    No account is connected yet. bin/up printed the addresses of the simulated storefronts.
                  </Empty>
                )}
              </Panel>
              <ConnectForm act={data.allowed_actions.find((a) => a.name === "connect")} />
            </>
          )}
        </Answer>
      </Stack>
    </>
  );
}

function Row({ account }: { account: Account }) {
  const look = useAccountAct(() => call<Account>(`/storefronts/${account.name}/look`, { method: "POST" }));
  const again = useAccountAct(() => call<Connecting>(`/storefronts/${account.name}/connect`, { method: "POST" }));
  const state = STATES[account.state] ?? STATES.revoked!;
  const may = account.allowed_actions.find((a) => a.name === "connect");
  const go = () => again.mutate(undefined, { onSuccess: (made) => made.open && window.location.assign(made.open) });
  const lacking = account.state !== "connected";
  return (
    <section style={{ padding: "12px 14px", borderTop: "1px solid var(--r-line)" }} aria-label={account.title}>
      <div style={{ display: "flex", gap: 12, alignItems: "baseline", flexWrap: "wrap" }}>
        <b>{account.title}</b>
        {account.simulated && <span className="dim">simulated</span>}
        <span className={state.kind}>
          <span aria-hidden>{state.mark}</span> {account.state}
        </span>
        {account.looked_at && (
          <span className="dim">
            looked at <When at={account.looked_at} />
          </span>
        )}
        <span style={{ marginLeft: "auto", display: "flex", gap: 8, flexWrap: "wrap" }}>
          {account.kind === "protocol" && (
            <>
              <Button
                size="compact-sm"
                variant="default"
                loading={look.isPending}
                disabled={!may?.possible}
                onClick={() => look.mutate(undefined)}
              >
                Look now
              </Button>
              <Button
                size="compact-sm"
                variant={lacking ? "filled" : "default"}
                loading={again.isPending}
                disabled={!may?.possible}
                onClick={go}
              >
                {lacking ? "Let it in …" : "Let it in again …"}
              </Button>
            </>
          )}
          <TakeAway account={account} possible={Boolean(may?.possible)} />
        </span>
      </div>
      {account.said && <div className="headline silent">{capital(account.said)}</div>}
      {(look.error || again.error) && <Failure error={look.error ?? again.error} />}
      <dl className="facts" style={{ marginTop: 8 }}>
        <Fact term="Takes">{account.platforms.join(", ")}</Fact>
        <Fact term="Can">{account.abilities.map((a) => a.replaceAll("-", " ")).join(", ") || "take builds, and nothing else"}</Fact>
        <Fact term="Studio there">{account.studio || "not known yet"}</Fact>
        <Fact term="Rampa may">{account.scopes.join(", ") || "nothing yet"}</Fact>
        <Fact term="Address">{account.address || "a folder of the service, worked off by hand"}</Fact>
        {account.connected_at && (
          <Fact term="Let in by">
            {account.connected_by}, <When at={account.connected_at} />
          </Fact>
        )}
      </dl>
    </section>
  );
}

function TakeAway({ account, possible }: { account: Account; possible: boolean }) {
  const [asking, ask] = useState(false);
  const take = useAccountAct(() => call<void>(`/storefronts/${account.name}`, { method: "DELETE" }));
  return (
    <>
      <Button size="compact-sm" variant="default" disabled={!possible} onClick={() => ask(true)}>
        Take away …
      </Button>
      {asking && (
        <Confirm
          title={`Take away the account at ${account.title}?`}
          keep="Keep it"
          act="Take it away"
          error={take.error}
          pending={take.isPending}
          confirm={() => take.mutate(undefined, { onSuccess: () => ask(false) })}
          close={() => ask(false)}
        >
          Its access is revoked there and forgotten here. What players have stays; nothing more can be sent.
        </Confirm>
      )}
    </>
  );
}
