import type { Schemas } from "../../app/http";

/** The page of what an event is about; none where there is none, or where it may be gone. */
export function addressOf({ act, subject, title }: Pick<Schemas["AuditEvent"], "act" | "subject" | "title">): string | undefined {
  const noun = act.split(".")[0];
  const build = /^([a-z0-9-]+)#(\d+)/.exec(subject);
  if (build) return `/titles/${build[1]}/builds/${build[2]}`;
  const run = /^([a-z0-9-]+) run (\d+)$/.exec(subject);
  if (run) return `/titles/${run[1]}/runs/${run[2]}`;
  const ofTitle: Record<string, string> = {
    device: "devices",
    grant: "grants",
    trigger: "source",
    source: "source",
    version: "versions",
    revision: "document",
    document: "document",
    retention: "builds/retention",
  };
  if (title && noun && noun in ofTitle) return `/titles/${title}/${ofTitle[noun]}`;
  if (noun === "title") return `/titles/${subject}`;
  if (noun === "key") return `/keys/${subject}`;
  const ofStudio: Record<string, string> = {
    agent: "/agents",
    variables: "/variables",
    person: "/people",
    store: "/store",
    "store-check": "/store",
  };
  return noun ? ofStudio[noun] : undefined;
}
