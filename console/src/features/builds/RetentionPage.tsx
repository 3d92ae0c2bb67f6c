import { Button, Group, Modal, NumberInput } from "@mantine/core";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Answer, Failure, PageHead, Panel } from "../../ui/parts";
import { BuildTable } from "./BuildTable";

type Retention = Schemas["RetentionOut"];

/** Which old builds would go, and which never do? */
export function RetentionPage() {
  const { title = "" } = useParams();
  const now = useQuery({ queryKey: ["retention", title], queryFn: () => call<Retention>(`/titles/${title}/retention`) });
  return (
    <>
      <PageHead title="Retention">Placed and pinned builds never go. Nothing goes by itself: it is shown here, then confirmed.</PageHead>
      <Answer of={now} rows={6}>
        {(r) => <Policy key={JSON.stringify(r.policy)} title={title} now={r} />}
      </Answer>
    </>
  );
}

function Policy({ title, now }: { title: string; now: Retention }) {
  const queries = useQueryClient();
  const [newest, setNewest] = useState<number | string>(now.policy.keep_newest);
  const [days, setDays] = useState<number | string>(now.policy.keep_days);
  const [asking, ask] = useState(false);
  const policy = { keep_newest: Number(newest) || 0, keep_days: Number(days) || 0 };
  const same = policy.keep_newest === now.policy.keep_newest && policy.keep_days === now.policy.keep_days;
  const preview = useQuery({
    queryKey: ["retention-preview", title, policy.keep_newest, policy.keep_days],
    queryFn: () => call<Retention>(`/titles/${title}/retention/preview`, { method: "POST", body: policy }),
    placeholderData: keepPreviousData,
  });
  const again = () => queries.invalidateQueries({ queryKey: ["retention", title] });
  const save = useMutation({
    mutationFn: () => call<Retention>(`/titles/${title}/retention`, { method: "PUT", body: policy }),
    onSuccess: again,
  });
  const apply = useMutation({
    mutationFn: (builds: number[]) => call<Retention>(`/titles/${title}/retention/apply`, { method: "POST", body: { builds } }),
    onSuccess: () => {
      ask(false);
      void queries.invalidateQueries();
    },
  });
  const goes = preview.data?.removes ?? [];
  return (
    <>
      <Panel title="Policy">
        <Group align="flex-end">
          <NumberInput label="Newest builds of each profile that stay" min={0} max={10000} w={260} value={newest} onChange={setNewest} />
          <NumberInput label="And all that are younger than" suffix=" days" min={0} max={36500} w={220} value={days} onChange={setDays} />
          <Button variant="default" disabled={same} loading={save.isPending} onClick={() => save.mutate()}>
            Save the policy
          </Button>
          <Button color="rust" className="danger" disabled={!same || goes.length === 0} onClick={() => ask(true)}>
            Remove {plural(goes.length, "build")} …
          </Button>
        </Group>
        {policy.keep_newest === 0 && policy.keep_days === 0 && <p className="dim">Both 0: nothing ever goes.</p>}
        {(save.error ?? apply.error) && <Failure error={save.error ?? apply.error} />}
      </Panel>
      <div style={{ marginTop: 16 }}>
        <Answer of={preview} rows={5}>
          {(r) => (
            <Panel
              title={same ? "What would go" : "What would go under this policy"}
              aside={r.removes.length ? `${plural(r.removes.length, "build")}, frees ${bytes(r.frees)}` : "nothing"}
              flush
            >
              {r.removes.length > 0 && <BuildTable builds={r.removes} title={title} />}
              {r.keeps.map((k) => (
                <div key={k.number} className="dim" style={{ padding: "5px 14px", fontSize: 13.5 }}>
                  <Link to={`/titles/${title}/builds/${k.number}`}>#{k.number}</Link> is old enough and stays: {k.why}.
                </div>
              ))}
            </Panel>
          )}
        </Answer>
      </div>
      <Modal opened={asking} onClose={() => ask(false)} title={`Remove ${plural(goes.length, "build")}?`}>
        <p style={{ marginTop: 0 }}>
          {goes.map((b) => `#${b.number}`).join(", ")}: their files, bundles and symbols are gone then, and{" "}
          {bytes(preview.data?.frees ?? 0)} are free. Their records stay: version codes, notes, who made them.
        </p>
        <Button color="rust" className="danger" loading={apply.isPending} onClick={() => apply.mutate(goes.map((b) => b.number))}>
          Remove them
        </Button>
      </Modal>
    </>
  );
}
