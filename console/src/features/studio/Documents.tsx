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
      <table className="rows">
        <thead>
          <tr>
            <th>What it is</th>
            <th>File</th>
            <th className="num">Size</th>
            <th>Added</th>
            <th aria-label="Acts" />
          </tr>
        </thead>
        <tbody>
          {studio.kinds.map((kind) => (
            <Row key={kind.kind} kind={kind} studio={studio} />
          ))}
        </tbody>
      </table>
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
    <tr>
      <td className="wide">
        {kind.words}
        {add.error && <Failure error={add.error} />}
      </td>
      <td className="wide">{there?.name ?? <span className="dim">not there</span>}</td>
      <td className="num">{there && bytes(there.size)}</td>
      <td>
        {there && (
          <>
            <When at={there.added_at} /> <span className="dim">by {there.added_by}</span>
          </>
        )}
      </td>
      <td>
        <span style={{ display: "flex", gap: 8, justifyContent: "flex-end" }}>
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
      </td>
    </tr>
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
