import { Button } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { capital, plural } from "../../ui/format";
import { SeverityMark, Spoken } from "../../ui/parts";
import type { Finding } from "./queries";

interface Props {
  title: string;
  findings: Finding[];
  /** Storefront -> its name for people. */
  names: Record<string, string>;
  fix?: (findings: Finding[]) => void;
  fixing?: boolean;
}

const AT_ONCE = 60;

/** What a check found, with the place that mends it and the fix where a machine knows one. */
export function ListingFindings({ title, findings, names, fix, fixing }: Props) {
  const [shown, show] = useState(AT_ONCE);
  return (
    <div>
      {findings.slice(0, shown).map((f) => (
        <div className="finding" key={f.name}>
          <SeverityMark severity={f.severity} />
          <div style={{ minWidth: 0, overflowWrap: "anywhere" }}>
            {f.message.startsWith("http") ? f.message : capital(f.message)}.
            <div className="dim">
              {[names[f.storefront], f.language, f.form].filter(Boolean).join(", ")}
              {f.storefront && ". "}
              <Link to={place(title, f)}>{f.where}</Link>. <Spoken text={f.hint} />
            </div>
            {fix && f.fix.length > 0 && (
              <div style={{ marginTop: 4, display: "flex", gap: 8, alignItems: "center", flexWrap: "wrap" }}>
                <Button size="compact-xs" variant="default" disabled={fixing} onClick={() => fix([f])}>
                  Fix in my draft
                </Button>
                <span className="mono dim">{f.fix_words.replace(/^Fix: |\.$/g, "")}</span>
              </div>
            )}
          </div>
        </div>
      ))}
      {findings.length > shown && (
        <Button size="xs" variant="default" mt="sm" onClick={() => show(shown + AT_ONCE)}>
          Show more: {plural(findings.length - shown, "finding")} left
        </Button>
      )}
    </div>
  );
}

/** Where a finding is mended. */
function place(title: string, finding: Finding): string {
  const edit = `/titles/${title}/listing/edit`;
  if (finding.where.startsWith("texts/"))
    return `${edit}?part=texts&language=${finding.language || /texts\/([^.]+)/.exec(finding.where)?.[1]}`;
  if (finding.where.startsWith("pictures")) return `${edit}?part=pictures`;
  if (finding.code === "listing.rating-open") return `${edit}?part=rating`;
  if (finding.where.endsWith(": rating")) return `/titles/${title}/listing?view=rating`;
  return `${edit}?part=facts`;
}
