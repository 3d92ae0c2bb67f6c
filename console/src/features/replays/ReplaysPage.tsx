import { Button, Checkbox, NumberInput, Select, TextInput } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { Answer, Empty, Failure, Loading, PageHead, Panel, When } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { useReplayAct, useReplays } from "./queries";
import { ReplayPanel } from "./ReplayPanel";
import "./replays.css";

const TextEditor = lazy(() => import("../document/TextEditor"));
const FIRST = `# Keys of [content], as \`rampa content tune\` proposes them, or a whole profile document.
compression = 12
`;

/** What would the last releases have cost under other rules? */
export function ReplaysPage() {
  const { title = "", number } = useParams();
  return (
    <>
      <PageHead title="Replay">
        What the last releases would have cost, fresh and updating, under other rules: packing, frames for players, depots. Worked out from
        the content that is kept. <Link to={`/titles/${title}/updates`}>Update cost as it is</Link>
      </PageHead>
      {number && (
        <div style={{ marginBottom: 16 }}>
          <ReplayPanel title={title} number={Number(number)} />
        </div>
      )}
      <div className="halves" style={{ marginTop: 0 }}>
        <Asked title={title} />
        <Earlier title={title} />
      </div>
    </>
  );
}

function Asked({ title }: { title: string }) {
  const go = useNavigate();
  const act = useReplayAct(title);
  const { data: described } = useTitle(title);
  const channels = useQuery({ queryKey: ["channels", title], queryFn: () => call<Schemas["ChannelList"]>(`/titles/${title}/channels`) });
  const [rules, setRules] = useState(FIRST);
  const [profile, setProfile] = useState("");
  const [channel, setChannel] = useState("");
  const [languages, setLanguages] = useState("");
  const [last, setLast] = useState(10);
  const [players, setPlayers] = useState(true);
  const profiles = described?.profiles ?? [];
  const chosen = profiles.find((p) => p.name === profile);
  const ask = () =>
    act.mutate(
      { path: "", body: { rules, profile, channel, languages, last, players, platform: chosen?.platform ?? "linux" } },
      { onSuccess: (replay) => go(`/titles/${title}/replays/${replay.number}`) },
    );
  return (
    <Panel title="Rules to try">
      <div className="replay-editor">
        <Suspense fallback={<Loading rows={4} />}>
          <TextEditor text={rules} label="Rules" change={setRules} />
        </Suspense>
      </div>
      <div className="filters" style={{ margin: "12px 0" }}>
        <Select
          label="Profile"
          size="xs"
          w={190}
          data={profiles.map((p) => ({ value: p.name, label: p.name }))}
          value={profile || null}
          placeholder="of the newest Linux build"
          clearable
          onChange={(v) => setProfile(v ?? "")}
        />
        <Select
          label="Only what was on"
          size="xs"
          w={150}
          data={(channels.data?.items ?? []).map((c) => c.name)}
          value={channel || null}
          placeholder="any channel or none"
          clearable
          onChange={(v) => setChannel(v ?? "")}
        />
        <NumberInput label="Releases" size="xs" w={90} min={1} max={20} value={last} onChange={(v) => setLast(Number(v) || 1)} />
        <TextInput
          label="Languages"
          size="xs"
          w={130}
          value={languages}
          placeholder="all; or en, fi"
          onChange={(e) => setLanguages(e.currentTarget.value)}
        />
      </div>
      <Checkbox
        size="xs"
        label="With packs for players, which takes most of the time"
        checked={players}
        onChange={(e) => setPlayers(e.currentTarget.checked)}
      />
      {act.error && <Failure error={act.error} />}
      <Button size="xs" mt={12} loading={act.isPending} disabled={!rules.trim()} onClick={ask}>
        Replay {plural(last, "release")}
      </Button>
    </Panel>
  );
}

function Earlier({ title }: { title: string }) {
  const found = useReplays(title);
  return (
    <Panel title="Earlier replays" flush>
      <Answer of={found} rows={5}>
        {({ items }) =>
          items.length ? (
            <table className="rows">
              <thead>
                <tr>
                  <th>No.</th>
                  <th>Releases</th>
                  <th>State</th>
                  <th className="wide">Asked</th>
                </tr>
              </thead>
              <tbody>
                {items.map((r) => (
                  <tr key={r.number}>
                    <td>
                      <Link to={`/titles/${title}/replays/${r.number}`}>{r.number}</Link>
                    </td>
                    <td>
                      #{r.builds[0]} to #{r.builds.at(-1)} <span className="dim">{r.profile}</span>
                    </td>
                    <td>{r.state}</td>
                    <td className="wide">
                      <When at={r.created_at} /> <span className="dim">{r.asked_by}</span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          ) : (
            <Empty command="bin/rampa update replay --last 10 --rules FILE">Nothing was replayed yet. Say rules, and replay.</Empty>
          )
        }
      </Answer>
    </Panel>
  );
}
