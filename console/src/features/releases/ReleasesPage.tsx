import { Button, Group, Modal, MultiSelect } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { useBuilds } from "../builds/queries";
import { useTitle } from "../titles/queries";
import { useMakeRelease, useReleases } from "./queries";

/** Which versions went, or are to go, to players together? */
export function ReleasesPage({ making = false }: { making?: boolean }) {
  const { title = "" } = useParams();
  const releases = useReleases(title);
  const { data: found } = useTitle(title);
  const go = useNavigate();
  return (
    <>
      <PageHead
        title={`Releases of ${found?.name ?? title}`}
        aside={<Button onClick={() => void go(`/titles/${title}/releases/make`)}>Make a release …</Button>}
      >
        Builds of one version over platforms, placed as one: all lines or none.
      </PageHead>
      <Panel title="Releases" aside="newest first" flush>
        <Answer of={releases}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command={`bin/rampa release make ${title}#N ${title}#M`}>No release yet. Make one of builds of one version.</Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th className="number">Release</th>
                    <th>Version</th>
                    <th>Builds</th>
                    <th>Live on</th>
                    <th className="wide">Made</th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((r) => (
                    <tr key={r.number}>
                      <td className="number">
                        <Link to={`/titles/${title}/releases/${r.number}`} style={{ fontWeight: 600 }}>
                          {r.number}
                        </Link>
                      </td>
                      <td className="tight">{r.version_name}</td>
                      <td>{r.builds.map((n) => `#${n}`).join(", ")}</td>
                      <td>{r.live_on.join(", ") || <span className="dim">no channel yet</span>}</td>
                      <td className="wide tight">
                        <When at={r.created_at} /> <span className="dim">by {r.created_by}</span>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )
          }
        </Answer>
      </Panel>
      {making && <Make title={title} close={() => void go(`/titles/${title}/releases`)} />}
    </>
  );
}

function Make({ title, close }: { title: string; close: () => void }) {
  const builds = useBuilds(title, { state: "ready", limit: 100 });
  const make = useMakeRelease(title);
  const go = useNavigate();
  const [chosen, choose] = useState<string[]>([]);
  const send = () =>
    make.mutate({ builds: chosen.map(Number), commit: "" }, { onSuccess: (made) => void go(`/titles/${title}/releases/${made.number}`) });
  return (
    <Modal opened onClose={close} size={620} title={<b>Make a release</b>}>
      <MultiSelect
        label="Builds"
        description="Of one version, one for each platform. What is missing is shown, and can follow later."
        placeholder={chosen.length ? "" : "Choose builds"}
        searchable
        data={(builds.data?.items ?? []).map((b) => ({
          value: String(b.number),
          label: `#${b.number} ${b.version_name}, ${b.profile}`,
        }))}
        value={chosen}
        onChange={choose}
      />
      {make.error && <Failure error={make.error} retry={send} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Make none
        </Button>
        <Button disabled={chosen.length === 0} loading={make.isPending} onClick={send}>
          Make a release
        </Button>
      </Group>
    </Modal>
  );
}
