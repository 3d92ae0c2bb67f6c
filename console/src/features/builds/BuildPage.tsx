import { Button, Tabs } from "@mantine/core";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { bytes, capital, plural } from "../../ui/format";
import { Answer, Digest, Empty, PageHead, Panel, When } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { BuildFeedbackPanel } from "../feedback/BuildFeedbackPanel";
import { PutBefore } from "../reviews/PutBefore";
import { BuildSignOffsPanel } from "../sign-offs/SignOffs";
import { PlayerPacks } from "../updates/PlayerPacks";
import { State } from "./BuildTable";
import { BundlePanel } from "./BundlePanel";
import { FileTree } from "./FileTree";
import { LeftOut } from "./LeftOut";
import { Made } from "./Made";
import { Notes } from "./Notes";
import { type Build, useBuild, usePin } from "./queries";

/** What is in this build, who signed it, and where is it live? */
export function BuildPage() {
  const { title = "", build: spoken = "" } = useParams();
  const number = Number(spoken);
  const build = useBuild(title, number);
  const [search, setSearch] = useSearchParams();
  return (
    <Answer of={build} rows={10}>
      {(b) => (
        <>
          <PageHead
            title={`${b.name} · ${b.version_name}`}
            aside={
              <>
                <Pin build={b} title={title} />
                {b.state === "ready" && <PutBefore title={title} build={b.number} purpose={b.purpose} />}
                <Place build={b} title={title} />
              </>
            }
          >
            <State build={b} /> · version code {b.version_code} · {b.profile} · made <When at={b.created_at} /> by {b.created_by}
          </PageHead>
          {b.state === "open" && (
            <Empty command={`bin/rampa build abandon ${b.name}`}>
              Its content is still arriving, or its upload was cut off: the same build create command goes on. To give it up:
            </Empty>
          )}
          <Made build={b} title={title} />
          <div className="halves" style={{ marginTop: 0 }}>
            <div style={{ display: "grid", gap: 16 }}>
              <Panel
                title="Depots"
                aside={
                  b.state === "ready" ? (
                    <Link to={`/titles/${title}/builds/${number}/content`}>
                      {plural(b.files, "file")}, {bytes(b.size)}: what takes the space
                    </Link>
                  ) : undefined
                }
                flush
              >
                <Depots build={b} />
              </Panel>
              {b.state === "ready" && <PlayerPacks title={title} number={number} />}
              <div style={{ marginBottom: 16 }}>
                <Notes build={b} title={title} />
              </div>
              {b.state === "ready" && (
                <div style={{ marginBottom: 16 }}>
                  <BuildSignOffsPanel title={title} build={number} />
                </div>
              )}
              {b.state === "ready" && (
                <div style={{ marginBottom: 16 }}>
                  <BuildFeedbackPanel title={title} build={number} />
                </div>
              )}
            </div>
            <Panel title="Bundle and signature">
              <BundlePanel build={b} title={title} />
            </Panel>
          </div>
          <section className="panel" style={{ marginTop: 16 }}>
            <Tabs
              value={search.get("tab") ?? "files"}
              onChange={(tab) => setSearch(tab && tab !== "files" ? { tab } : {})}
              keepMounted={false}
            >
              <Tabs.List>
                <Tabs.Tab value="files">Files</Tabs.Tab>
                <Tabs.Tab value="left-out">Left out ({b.left_out_files})</Tabs.Tab>
              </Tabs.List>
              <Tabs.Panel value="files">
                <FileTree title={title} number={number} ready={b.state === "ready"} />
              </Tabs.Panel>
              <Tabs.Panel value="left-out">
                <LeftOut title={title} number={number} ready={b.state === "ready"} />
              </Tabs.Panel>
            </Tabs>
          </section>
        </>
      )}
    </Answer>
  );
}

function Pin({ build, title }: { build: Build; title: string }) {
  const pin = usePin(title, build.number);
  return (
    <Button
      size="compact-md"
      variant="default"
      loading={pin.isPending}
      disabled={build.state !== "ready"}
      title="A pinned build is never removed by retention"
      onClick={() => pin.mutate(!build.pinned)}
    >
      {build.pinned ? "Unpin" : "Pin"}
    </Button>
  );
}

function Depots({ build }: { build: Build }) {
  if (build.depots.length === 0)
    return (
      <div className="dim" style={{ padding: 14 }}>
        The depots are split when the upload is complete.
      </div>
    );
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Depot</th>
          <th className="number">Files</th>
          <th className="number">On disk</th>
          <th className="number">Download</th>
          <th className="wide">Manifest</th>
        </tr>
      </thead>
      <tbody>
        {build.depots.map((d) => (
          <tr key={d.name}>
            <td>
              {d.name}
              {d.note && <div className="dim">The download is larger: {d.note}.</div>}
            </td>
            <td className="number">{d.files.toLocaleString("en")}</td>
            <td className="number">{bytes(d.size)}</td>
            <td className="number">{bytes(d.packed)}</td>
            <td className="wide">
              <Digest value={d.manifest} what="manifest digest" />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Place({ build, title }: { build: Build; title: string }) {
  const { data } = useChannels(title);
  const go = useNavigate();
  const act = build.allowed_actions.find((a) => a.name === "place");
  const open = (data?.items ?? []).filter((c) => !build.live_on.includes(c.name));
  return open.map((channel) => (
    <Button
      key={channel.name}
      size="compact-md"
      variant={channel === open[0] ? "filled" : "default"}
      disabled={!act?.possible}
      title={act?.reason}
      onClick={() => void go(`/titles/${title}/channels/${channel.name}/place/${build.number}`)}
    >
      {capital("place")} on {channel.name} …
    </Button>
  ));
}
