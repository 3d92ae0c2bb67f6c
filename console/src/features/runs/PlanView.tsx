import { duration } from "../../ui/format";
import { SeverityMark } from "../../ui/parts";
import type { Plan } from "./queries";

/** A run before it starts: steps, what they get, who can do it, what stops it. */
export function PlanView({ plan }: { plan: Plan }) {
  const names = [...plan.variables, ...plan.secrets.map((s) => `${s} (secret)`)];
  return (
    <>
      {plan.stops.map((stop) => (
        <div key={stop} style={{ marginBottom: 8 }}>
          <SeverityMark severity="blocker" /> {stop}
        </div>
      ))}
      <dl className="facts">
        <dt>Steps</dt>
        <dd>
          {plan.steps.map((s, n) => (
            <span
              key={s.name}
              title={[s.command.join(" "), `time limit ${duration(s.seconds)}`, s.when !== "success" ? s.when : ""]
                .filter(Boolean)
                .join("; ")}
            >
              {n > 0 && <span className="dim"> → </span>}
              {s.name}
            </span>
          ))}
        </dd>
        <dt>Version</dt>
        <dd>
          {plan.version_name}, code {plan.next_code} as it stands
        </dd>
        <dt>Environment</dt>
        <dd>
          {plan.step_variables ? (
            <>
              {plan.step_variables}: {names.join(", ") || "empty"}
            </>
          ) : (
            "none"
          )}
        </dd>
        <dt>Toolchain</dt>
        <dd>{plan.toolchain || "none is named"}</dd>
        <dt>Agents</dt>
        <dd>
          {plan.agents.length === 0 && (
            <>
              none is there: <code className="mono">bin/rampa agent enrol NAME</code>
            </>
          )}
          {plan.agents.map((a) => (
            <div key={a.name} className={a.lacks.length ? "dim" : undefined}>
              <b>{a.name}</b> {a.lacks.length ? a.lacks.join("; ") : `can do it${a.toolchain ? ` with ${a.toolchain}` : ""}, ${a.state}`}
            </div>
          ))}
        </dd>
        {plan.native && (
          <>
            <dt>Native part</dt>
            <dd>{plan.native.said}</dd>
          </>
        )}
        {plan.findings
          .filter((f) => f.severity !== "note")
          .map((f) => (
            <div key={f.code + f.message} style={{ display: "contents" }}>
              <dt>
                <SeverityMark severity={f.severity} />
              </dt>
              <dd>{f.message}</dd>
            </div>
          ))}
      </dl>
    </>
  );
}
