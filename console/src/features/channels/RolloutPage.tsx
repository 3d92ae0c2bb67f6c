import { useState } from "react";
import { Link, useParams } from "react-router";

import { capital, plural } from "../../ui/format";
import { Answer, PageHead, Panel, When } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { GrowthPicture } from "./GrowthPicture";
import { HealthPanel } from "./HealthPanel";
import { type Rollout, useRollout } from "./queries";
import { RolloutActs } from "./RolloutActs";
import { Share } from "./Share";
import { WithdrawDialogue } from "./WithdrawDialogue";

/** How far is this build out, and what happens next? */
export function RolloutPage() {
  const { title = "", channel = "", rollout = "" } = useParams();
  const found = useRollout(title, channel, Number(rollout));
  const { data: named } = useTitle(title);
  const [withdrawing, setWithdrawing] = useState(false);
  return (
    <>
      <PageHead
        title={found.data ? `#${found.data.build.number} on ${channel}` : `${capital(channel)} channel`}
        aside={<Link to={`/titles/${title}/channels/${channel}`}>{`${capital(channel)} channel`}</Link>}
      >
        {found.data && `${found.data.build.version_name} for ${found.data.line}, ${named?.name ?? title}.`}
      </PageHead>
      <Answer of={found}>
        {(data) => (
          <>
            <Headline rollout={data} />
            <div className="halves" style={{ marginTop: 0 }}>
              <Panel title="Growth" aside="percent of the line's devices, in this browser's time">
                <GrowthPicture rollout={data} />
              </Panel>
              <Panel title="Acts">
                <RolloutActs title={title} rollout={data} withdraw={() => setWithdrawing(true)} />
              </Panel>
            </div>
            <div style={{ marginTop: 16 }}>
              <HealthPanel title={title} channel={channel} number={data.number} build={data.build.number} />
            </div>
            <div style={{ marginTop: 16 }}>
              <Panel title="What it was" aside="newest first" flush>
                <Past rollout={data} />
              </Panel>
            </div>
            {withdrawing && <WithdrawDialogue title={title} placement={data} close={() => setWithdrawing(false)} />}
          </>
        )}
      </Answer>
    </>
  );
}

function Headline({ rollout }: { rollout: Rollout }) {
  const kind = { held: "failed", growing: "", placed: "silent", whole: "done", superseded: "", withdrawn: "" }[rollout.state];
  const have = rollout.following
    ? `${rollout.devices} of ${plural(rollout.following, "device")} have it.`
    : "No device follows the channel yet.";
  return (
    <div className={`headline ${kind}`}>
      <Share placement={rollout} />. {rollout.state !== "superseded" && rollout.state !== "withdrawn" && `${have} `}
      {rollout.held_why && (
        <>
          Held because: <b>{rollout.held_why}</b>{" "}
        </>
      )}
      {rollout.next_at && rollout.next_share && (
        <>
          Next: {rollout.next_share} % <When at={rollout.next_at} />
          {rollout.waits && `, and it waits while ${rollout.waits}`}.{" "}
        </>
      )}
      {rollout.back && "Rolled back to: devices go down to it, whatever they have."}
    </div>
  );
}

function Past({ rollout }: { rollout: Rollout }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>When</th>
          <th>State</th>
          <th className="number">Share</th>
          <th>By</th>
          <th className="wide">Why</th>
        </tr>
      </thead>
      <tbody>
        {[...rollout.changes].reverse().map((c, i) => (
          <tr key={`${c.at} ${c.state} ${rollout.changes.length - i}`}>
            <td className="tight">
              <When at={c.at} />
            </td>
            <td>{c.state}</td>
            <td className="number">{c.share} %</td>
            <td>{c.by}</td>
            <td className="wide">{c.why}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
