import { Button, FileButton } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { bytes } from "../../ui/format";
import { Failure, Panel, When } from "../../ui/parts";
import { type Studio, useStudioAct } from "./queries";

type Kind = Studio["kinds"][number];
const TAKEN = "application/pdf,image/png,image/jpeg";

/** What shows who the studio is: one document a kind. */
export function Documents({ studio }: { studio: Studio }) {
  return (
    <Panel title="Documents" aside="sealed at rest; owners and reviewers read them" flush>
      {studio.kinds.map((kind) => (
        <Row key={kind.kind} kind={kind} studio={studio} />
      ))}
    </Panel>
  );
}

function Row({ kind, studio }: { kind: Kind; studio: Studio }) {
  const there = studio.documents.find((d) => d.kind === kind.kind);
  const add = useStudioAct((file: File) =>
    call<Studio>(`/studio/documents/${kind.kind}?name=${encodeURIComponent(file.name)}`, { method: "PUT", file }),
  );
  const may = (name: string) => Boolean(studio.allowed_actions.find((a) => a.name === name)?.possible);
  return (
    <section
      style={{
        padding: "8px 14px",
        borderTop: "1px solid var(--r-line)",
        display: "flex",
        gap: 12,
        alignItems: "center",
        flexWrap: "wrap",
      }}
      aria-label={kind.words}
    >
      <div style={{ flex: "1 1 260px" }}>
        {kind.words}
        <div className="dim">
          {there ? (
            <>
              {there.name}, {bytes(there.size)}, added by {there.added_by} <When at={there.added_at} />
            </>
          ) : (
            "not there"
          )}
        </div>
        {add.error && <Failure error={add.error} />}
      </div>
      <span style={{ display: "flex", gap: 8, flexWrap: "wrap" }}>
        {there && may("read-document") && (
          <Button
            size="compact-sm"
            variant="default"
            component="a"
            href={`/api/v1/studio/documents/${kind.kind}`}
            aria-label={`Save ${there.name}`}
          >
            Save
          </Button>
        )}
        {may("add-document") && (
          <FileButton accept={TAKEN} onChange={(file) => file && add.mutate(file)}>
            {(props) => (
              <Button
                size="compact-sm"
                variant="default"
                loading={add.isPending}
                aria-label={`${there ? "Replace" : "Add"}: ${kind.words}`}
                {...props}
              >
                {there ? "Replace …" : "Add …"}
              </Button>
            )}
          </FileButton>
        )}
        {there && may("add-document") && <Drop kind={kind} name={there.name} />}
      </span>
    </section>
  );
}

function Drop({ kind, name }: { kind: Kind; name: string }) {
  const [asking, ask] = useState(false);
  const drop = useStudioAct(() => call<Studio>(`/studio/documents/${kind.kind}`, { method: "DELETE" }));
  return (
    <>
      <Button size="compact-sm" variant="default" onClick={() => ask(true)} aria-label={`Remove ${name}`}>
        Remove …
      </Button>
      {asking && (
        <Confirm
          title={`Remove ${name}?`}
          keep="Keep it"
          act="Remove it"
          error={drop.error}
          pending={drop.isPending}
          confirm={() => drop.mutate(undefined, { onSuccess: () => ask(false) })}
          close={() => ask(false)}
        >
          What was handed in stays handed in; the next time it is missing.
        </Confirm>
      )}
    </>
  );
}
