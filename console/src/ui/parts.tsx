import { Button, Code, CopyButton, Skeleton, Stack, Text, Tooltip } from "@mantine/core";
import { type ReactNode, useEffect, useReducer } from "react";

import { ApiError, type Schemas } from "../app/http";
import { ago, exact } from "./format";

/** A moment: relative, the exact one on hover; stays true while the page is open. */
export function When({ at }: { at: string }) {
  const [, again] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    const timer = setInterval(again, 10_000);
    return () => clearInterval(timer);
  }, []);
  return (
    <Tooltip label={exact(at)}>
      <time dateTime={at} className="when">
        {ago(at)}
      </time>
    </Tooltip>
  );
}

/** A moment that is to come: in this browser's zone and in UTC. */
export function Soon({ at }: { at: string }) {
  const here = new Date(at).toLocaleString("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });
  return (
    <time dateTime={at}>
      {here} ({exact(at).slice(11, 16)} UTC)
    </time>
  );
}

/** A digest: short to read, whole to copy. */
export function Digest({ value, what, length = 12 }: { value: string; what: string; length?: number }) {
  return (
    <CopyButton value={value}>
      {({ copied, copy }) => (
        <Tooltip label={copied ? "Copied" : `Copy the whole ${what}`}>
          <button
            type="button"
            className="mono"
            onClick={copy}
            aria-label={`Copy ${what} ${value.slice(0, length)}`}
            style={{ all: "unset", cursor: "copy", fontFamily: "var(--mantine-font-family-monospace)", fontSize: 12.5 }}
          >
            {value.slice(0, length)}…
          </button>
        </Tooltip>
      )}
    </CopyButton>
  );
}

const SHAPE = { blocker: "■", warning: "▲", note: "●" } as const;
type Severity = keyof typeof SHAPE;

export function SeverityMark({ severity }: { severity: string }) {
  const known = (severity in SHAPE ? severity : "note") as Severity;
  return (
    <span className={`severity ${known}`}>
      <span aria-hidden>{SHAPE[known]}</span> {known}
    </span>
  );
}

export function Findings({ findings }: { findings: Schemas["Finding"][] }) {
  return (
    <div>
      {findings.map((finding) => (
        <div className="finding" key={`${finding.code} ${finding.where} ${finding.message}`}>
          <SeverityMark severity={finding.severity} />
          <div>
            {finding.message}.
            <div className="dim">
              <Spoken text={finding.hint} />
            </div>
          </div>
        </div>
      ))}
    </div>
  );
}

/** A hint of the service's: commands stand between backticks. */
export function Spoken({ text }: { text: string }) {
  return text.split("`").map((part, i) =>
    i % 2 ? (
      <code key={i} className="mono">
        {part}
      </code>
    ) : (
      part
    ),
  );
}

export function Panel({ title, aside, children, flush }: { title: ReactNode; aside?: ReactNode; children: ReactNode; flush?: boolean }) {
  return (
    <section className="panel">
      <header>
        <h2>{title}</h2>
        {aside !== undefined && <span className="aside">{aside}</span>}
      </header>
      <div style={flush ? undefined : { padding: "12px 14px" }}>{children}</div>
    </section>
  );
}

/** A line of a list of facts. */
export function Fact({ term, children }: { term: string; children: ReactNode }) {
  return (
    <>
      <dt>{term}</dt>
      <dd>{children}</dd>
    </>
  );
}

/** What to do first, with the command line's way beside it. */
export function Empty({ children, command }: { children: ReactNode; command?: string }) {
  return (
    <Stack gap={8} p="lg" align="flex-start" className="empty">
      <Text size="sm">{children}</Text>
      {command && <Command text={command} />}
    </Stack>
  );
}

export function Command({ text }: { text: string }) {
  return (
    <CopyButton value={text}>
      {({ copied, copy }) => (
        <Tooltip label={copied ? "Copied" : "Copy"}>
          <Code
            component="button"
            onClick={copy}
            style={{
              cursor: "copy",
              fontSize: 12.5,
              padding: "4px 8px",
              textAlign: "left",
              overflowWrap: "anywhere",
              whiteSpace: "pre-wrap",
              border: "1px solid var(--r-line)",
              color: "inherit",
            }}
          >
            {text}
          </Code>
        </Tooltip>
      )}
    </CopyButton>
  );
}

/** A failure where it happened, with retry. */
export function Failure({ error, retry }: { error: unknown; retry?: () => void }) {
  const told = error instanceof ApiError ? error : new ApiError(0, { detail: String(error) });
  return (
    <div role="alert" style={{ padding: 14, display: "flex", gap: 14, alignItems: "center", flexWrap: "wrap" }}>
      <div style={{ minWidth: 0 }}>
        <SeverityMark severity="blocker" />{" "}
        <span style={{ whiteSpace: "pre-wrap" }}>{/[.!?]$/.test(told.message) ? told.message : `${told.message}.`}</span>{" "}
        <span className="dim">
          <Spoken text={told.hint} />
        </span>
      </div>
      {retry && (
        <Button size="compact-sm" variant="default" onClick={retry}>
          Try again
        </Button>
      )}
    </div>
  );
}

/** Keeps the shape of what is loading. */
export function Loading({ rows = 5 }: { rows?: number }) {
  return (
    <Stack gap={8} p={14} aria-busy="true" aria-label="Loading">
      {Array.from({ length: rows }, (_, i) => (
        <Skeleton key={i} height={18} width={`${92 - ((i * 17) % 40)}%`} />
      ))}
    </Stack>
  );
}

interface Asked<T> {
  data: T | undefined;
  error: unknown;
  refetch: () => unknown;
}

/** A query's three states. */
export function Answer<T>({ of, rows, children }: { of: Asked<T>; rows?: number; children: (data: T) => ReactNode }) {
  if (of.data !== undefined) return <>{children(of.data)}</>;
  if (of.error) return <Failure error={of.error} retry={() => void of.refetch()} />;
  return <Loading rows={rows} />;
}

export function PageHead({ title, children, aside }: { title: ReactNode; children?: ReactNode; aside?: ReactNode }) {
  return (
    <div style={{ display: "flex", alignItems: "flex-start", gap: 16, marginBottom: 14, flexWrap: "wrap" }}>
      <div style={{ minWidth: 0 }}>
        <h1 style={{ fontSize: 22, margin: 0, lineHeight: 1.25 }}>{title}</h1>
        {children && (
          <div className="dim" style={{ marginTop: 2 }}>
            {children}
          </div>
        )}
      </div>
      {aside && <div style={{ marginLeft: "auto", display: "flex", gap: 8, alignItems: "center", flexWrap: "wrap" }}>{aside}</div>}
    </div>
  );
}
