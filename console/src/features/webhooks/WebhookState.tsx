import type { Webhook } from "./queries";

/** In order, paused, or what is wrong with it. */
export function WebhookState({ of }: { of: Webhook }) {
  const failed = of.last_at !== null && (of.last_status < 200 || of.last_status > 299);
  return (
    <>
      {of.paused && <span className="severity warning">▲ paused</span>}
      {failed && (
        <span className="severity blocker" style={{ whiteSpace: "normal" }}>
          {" "}
          ✗ {of.last_status ? `answered ${of.last_status}` : of.last_said}
        </span>
      )}
      {!failed && !of.paused && <span className={of.last_at ? "came" : "dim"}>{of.last_at ? "✓ taken" : "nothing sent yet"}</span>}
      {of.waiting > 0 && <span className="dim"> · {of.waiting} waiting</span>}
      {of.given_up > 0 && <span className="dim"> · {of.given_up} given up</span>}
    </>
  );
}
