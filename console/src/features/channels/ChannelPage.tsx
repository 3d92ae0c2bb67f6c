import { Button, Group, Select } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { capital } from "../../ui/format";
import { Answer, Empty, PageHead, Panel, When } from "../../ui/parts";
import { useBuilds } from "../builds/queries";
import { AccessPanel } from "../testers/AccessPanel";
import { useTitle } from "../titles/queries";
import { GateRules } from "./GateRules";
import { Verdict } from "./HealthPanel";
import { PlaceDialogue } from "./PlaceDialogue";
import { type Channel, type Placement, useChannel } from "./queries";
import { RollBackDialogue } from "./RollBackDialogue";
import { Scheduled } from "./Scheduled";
import { Share } from "./Share";
import { WithdrawDialogue } from "./WithdrawDialogue";

/** What do devices on this channel get, and since when? */
export function ChannelPage({ back = false }: { back?: boolean }) {
  const { title = "", channel: name = "", build } = useParams();
  const channel = useChannel(title, name);
  const { data: found } = useTitle(title);
  const go = useNavigate();
  const [withdrawing, setWithdrawing] = useState<Placement | null>(null);
  return (
    <>
      <PageHead
        title={`${capital(name)} channel of ${found?.name ?? title}`}
        aside={channel.data && <PlacePicker channel={channel.data} title={title} />}
      >
        Devices that follow it install what is live here for their platform.
      </PageHead>
      <Answer of={channel}>
        {(data) => (
          <>
            <Panel
              title="Live"
              aside={
                data.history.length > 1 && (
                  <Button variant="subtle" size="compact-xs" component={Link} to={`/titles/${title}/channels/${name}/roll-back`}>
                    Roll back …
                  </Button>
                )
              }
              flush
            >
              {data.live.length === 0 ? (
                <Empty command={`bin/rampa channel place ${title}#N --on ${name}`}>
                  Nothing is live here. Place a build; what it will do is shown first.
                </Empty>
              ) : (
                <Live placements={data.live} title={title} withdraw={setWithdrawing} />
              )}
            </Panel>
            <Scheduled title={title} channel={name} />
            {data.audience === "by-invitation" && data.allowed_actions.some((a) => a.name === "give access" && a.possible) && (
              <div style={{ marginTop: 16 }}>
                <AccessPanel title={title} channel={name} />
              </div>
            )}
            <div style={{ marginTop: 16 }}>
              <Panel title="Gates" flush>
                <GateRules title={title} channel={data} />
              </Panel>
            </div>
            <div style={{ marginTop: 16 }}>
              <Panel title="History" aside="newest first" flush>
                <History placements={data.history} title={title} />
              </Panel>
            </div>
          </>
        )}
      </Answer>
      {build && (
        <PlaceDialogue title={title} channel={name} build={Number(build)} close={() => void go(`/titles/${title}/channels/${name}`)} />
      )}
      {back && channel.data && (
        <RollBackDialogue title={title} channel={channel.data} close={() => void go(`/titles/${title}/channels/${name}`)} />
      )}
      {withdrawing && <WithdrawDialogue title={title} placement={withdrawing} close={() => setWithdrawing(null)} />}
    </>
  );
}

function Live({ placements, title, withdraw }: { placements: Placement[]; title: string; withdraw: (p: Placement) => void }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>For</th>
          <th>Build</th>
          <th className="wide">Version</th>
          <th>Share</th>
          <th className="number wide">Devices that have it</th>
          <th className="wide">Placed</th>
          <th className="number">Act</th>
        </tr>
      </thead>
      <tbody>
        {placements.map((p) => {
          const act = p.allowed_actions.find((a) => a.name === "withdraw");
          return (
            <tr key={p.number}>
              <td>{p.line}</td>
              <td className="tight">
                <Link to={`/titles/${title}/builds/${p.build.number}`} style={{ fontWeight: 600 }}>
                  #{p.build.number}
                </Link>{" "}
                <span className="dim wide">{p.build.profile}</span>
              </td>
              <td className="tight wide">
                {p.build.version_name} <span className="dim">code {p.build.version_code}</span>
              </td>
              <td className="tight">
                <Share placement={p} />
                {p.verdict === "worse" && (
                  <div title={p.health_said}>
                    <Verdict verdict={p.verdict} />
                  </div>
                )}
              </td>
              <td className="number wide">{p.following ? `${p.devices} of ${p.following}` : "none follows"}</td>
              <td className="wide tight">
                <When at={p.placed_at} /> <span className="dim">by {p.placed_by}</span>
              </td>
              <td className="number">
                <Group gap={6} justify="flex-end">
                  <Button
                    size="compact-xs"
                    variant="default"
                    component={Link}
                    to={`/titles/${title}/channels/${p.channel}/rollouts/${p.number}`}
                  >
                    Rollout
                  </Button>
                  <Button size="compact-xs" variant="default" disabled={!act?.possible} title={act?.reason} onClick={() => withdraw(p)}>
                    Withdraw …
                  </Button>
                </Group>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function History({ placements, title }: { placements: Placement[]; title: string }) {
  if (placements.length === 0)
    return (
      <div className="dim" style={{ padding: 14 }}>
        Nothing was ever placed here.
      </div>
    );
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="number wide">Placement</th>
          <th>For</th>
          <th>Build</th>
          <th>Version</th>
          <th>State</th>
          <th className="wide">Placed</th>
          <th className="wide">Ended</th>
        </tr>
      </thead>
      <tbody>
        {placements.map((p) => (
          <tr key={p.number}>
            <td className="number wide">{p.number}</td>
            <td>{p.line}</td>
            <td>
              <Link to={`/titles/${title}/builds/${p.build.number}`}>#{p.build.number}</Link>
            </td>
            <td className="tight">{p.build.version_name}</td>
            <td>
              <Link to={`/titles/${title}/channels/${p.channel}/rollouts/${p.number}`} className="plain">
                <Share placement={p} />
              </Link>
              {p.waived.map((w) => (
                <div key={w.gate} className="dim" title={w.reason}>
                  ◇ {w.waived_by} waived {w.gate}: {w.reason}
                </div>
              ))}
            </td>
            <td className="wide tight">
              <When at={p.placed_at} /> <span className="dim">by {p.placed_by}</span>
            </td>
            <td className="wide tight">{p.ended_at && <When at={p.ended_at} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function PlacePicker({ channel, title }: { channel: Channel; title: string }) {
  const { data } = useBuilds(title, { state: "ready", limit: 50 });
  const go = useNavigate();
  const act = channel.allowed_actions.find((a) => a.name === "place");
  const live = new Set(channel.live.map((p) => p.build.number));
  const offered = (data?.items ?? []).filter((b) => !live.has(b.number));
  return (
    <Select
      aria-label="Place a build"
      placeholder={act?.possible ? "Place a build …" : "Placing is not possible now"}
      title={act?.reason}
      disabled={!act?.possible}
      size="sm"
      w={300}
      data={offered.map((b) => ({ value: String(b.number), label: `#${b.number} ${b.version_name}, ${b.profile}` }))}
      value={null}
      onChange={(value) => value && void go(`/titles/${title}/channels/${channel.name}/place/${value}`)}
      nothingFoundMessage="No ready build that is not live here"
    />
  );
}
