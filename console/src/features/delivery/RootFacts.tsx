import { exact } from "../../ui/format";
import { Command, Empty, When } from "../../ui/parts";
import type { Trust } from "./queries";

/** Who holds the root, and what is wrong with what follows from it. */
export function RootFacts({ trust }: { trust: Trust }) {
  const { root } = trust;
  if (!root)
    return (
      <Empty command={`bin/rampa trust ceremony --title ${trust.title}`}>
        No root yet: devices follow the service's own offers, and need the service for everything. Three people make keys, and some of them
        sign the first root; the command tells the steps.
      </Empty>
    );
  return (
    <>
      {trust.alarms.map((alarm) => (
        <p key={alarm} className="severity blocker" style={{ whiteSpace: "normal", marginTop: 0 }}>
          ✗ {alarm}
        </p>
      ))}
      <dl className="facts">
        <dt>Root</dt>
        <dd>
          {root.version}, published <When at={root.published_at} /> by {root.published_by}
        </dd>
        <dt>Holders</dt>
        <dd>
          {root.holders.join(", ")}: any {root.threshold} of {root.holders.length} sign the next
        </dd>
        <dt>Ends</dt>
        <dd>{exact(root.expires_at)}; devices take nothing after that</dd>
        <dt>Next root</dt>
        <dd>
          <Command text={`bin/rampa trust ceremony --title ${trust.title}`} />
        </dd>
      </dl>
    </>
  );
}
