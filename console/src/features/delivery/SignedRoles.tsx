import { exact } from "../../ui/format";
import type { Trust } from "./queries";

const SAYS: Record<Trust["roles"][number]["role"], string> = {
  root: "who signs all of this",
  targets: "which channels there are",
  channels: "what is live on them",
  snapshot: "which of these belong together",
  timestamp: "which is the newest",
};

/** Until when each role's word holds; of the channels the one that ends first. */
export function SignedRoles({ trust }: { trust: Trust }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Role</th>
          <th className="wide">Says</th>
          <th className="number">Version</th>
          <th>Holds until</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        {trust.roles.map((r) => (
          <tr key={r.role}>
            <td>{r.role}</td>
            <td className="wide dim">{SAYS[r.role]}</td>
            <td className="number">{r.version}</td>
            <td className="tight">{exact(r.expires_at)}</td>
            <td>{r.alarm ? <span className="severity blocker">✗ runs out</span> : <span className="came">✓ holds</span>}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
