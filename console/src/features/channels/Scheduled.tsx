import { Button } from "@mantine/core";

import { Failure, Panel, Soon } from "../../ui/parts";
import { useCancelScheduled, useScheduled } from "./queries";

/** What goes to this channel by itself, when; nothing where nothing does. */
export function Scheduled({ title, channel }: { title: string; channel: string }) {
  const { data } = useScheduled(title);
  const cancel = useCancelScheduled(title);
  const here = (data?.items ?? []).filter((s) => s.channel === channel);
  if (here.length === 0) return null;
  return (
    <div style={{ marginTop: 16 }}>
      <Panel title="Scheduled" flush>
        {cancel.error && <Failure error={cancel.error} />}
        <table className="rows">
          <thead>
            <tr>
              <th>What</th>
              <th>When</th>
              <th className="wide">Who gets it</th>
              <th className="wide">By</th>
              <th className="number">Act</th>
            </tr>
          </thead>
          <tbody>
            {here.map((one) => {
              const act = one.allowed_actions.find((a) => a.name === "cancel");
              return (
                <tr key={one.number}>
                  <td>
                    {one.what}
                    {one.said && <div className="dim">{one.said}</div>}
                  </td>
                  <td>{one.at ? <Soon at={one.at} /> : "when its gates open"}</td>
                  <td className="wide">{one.plan || (one.share !== null && one.share < 100 ? `${one.share} %` : "every device")}</td>
                  <td className="wide">{one.by}</td>
                  <td className="number">
                    <Button
                      size="compact-xs"
                      variant="default"
                      disabled={!act?.possible}
                      title={act?.reason}
                      onClick={() => cancel.mutate(one.number)}
                    >
                      Cancel
                    </Button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </Panel>
    </div>
  );
}
