import { Button, Modal } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { capital, duration, plural } from "../../ui/format";
import { Answer, Failure, PageHead, Panel, SeverityMark, Spoken, When } from "../../ui/parts";
import { Kinds } from "./Kinds";
import { LogView } from "./LogView";
import { Of, Progress, RunState, usePassed, Why } from "./parts";
import { ENDED, type Run, useAgain, useApprove, useCancel, useRun } from "./queries";
import { Timeline } from "./Timeline";
import "./runs.css";

/** How far is this run, and if it failed, why? */
export function RunPage() {
  const { title = "", run: spoken = "" } = useParams();
  const run = useRun(title, Number(spoken));
  return (
    <Answer of={run} rows={12}>
      {(r) => <Whole key={r.number} run={r} title={title} heard={run.dataUpdatedAt} />}
    </Answer>
  );
}

function Whole({ run, title, heard }: { run: Run; title: string; heard: number }) {
  const [, setSearch] = useSearchParams();
  const [kind, setKind] = useState<{ lines: number[]; at: number } | null>(null);
  const pick = (line: number) => setKind({ lines: [line], at: 0 });
  return (
    <>
      <PageHead title={`Run ${run.number} · ${run.profile}`} aside={<Acts run={run} title={title} />}>
        <RunState state={run.state} /> · <Of run={run} title={title} /> {run.subject && <>“{run.subject}” </>}· started{" "}
        <When at={run.created_at} /> by <Why run={run} />
        {run.step_variables && <> · step variables {run.step_variables}</>}
        {run.note && <> · {run.note}</>}
      </PageHead>
      <Headline run={run} title={title} heard={heard} />
      <div className="run-halves">
        <Panel title="Steps" aside={<Clock run={run} heard={heard} />} flush>
          <Timeline run={run} heard={heard} pick={pick} />
        </Panel>
        <Panel title="Warnings and errors" aside={`${plural(run.errors, "error")}, ${plural(run.warnings, "warning")}`} flush>
          <Kinds run={run} show={(lines, at) => setKind({ lines, at })} />
        </Panel>
      </div>
      <section className="panel" style={{ marginTop: 16 }} onDoubleClick={() => setSearch({}, { replace: true })}>
        <LogView title={title} run={run} kind={kind} />
      </section>
    </>
  );
}

/** The one thing to know: why it failed and what fixes it, what it waits for, what it made, or that it is silent. */
function Headline({ run, title, heard }: { run: Run; title: string; heard: number }) {
  const passed = usePassed(heard, ENDED.has(run.state) || run.state === "waiting");
  if (run.cause) {
    return (
      <div className="headline failed" role="alert">
        <b>{run.cause.sentence}.</b>{" "}
        <span className="dim">
          <Spoken text={run.cause.fix} />
        </span>
      </div>
    );
  }
  if (run.state === "waiting")
    return (
      <div className="headline">
        <b>{run.waits_for}.</b>
      </div>
    );
  if (run.superseded_by) {
    return (
      <div className="headline">
        A newer commit came while it waited: <Link to={`/titles/${title}/runs/${run.superseded_by}`}>run {run.superseded_by}</Link> was
        started for it.
      </div>
    );
  }
  if (run.build) {
    return (
      <div className="headline done">
        It made{" "}
        <Link to={`/titles/${title}/builds/${run.build}`}>
          <b>#{run.build}</b>
        </Link>{" "}
        in {duration(run.seconds)}.
      </div>
    );
  }
  if (run.silent > 0) {
    return (
      <div className="headline silent">
        <SeverityMark severity="warning" /> The step {run.step} has said nothing for {duration(run.silent + passed)}. Its agent {run.agent}{" "}
        answers: it works, or waits for something.
      </div>
    );
  }
  return null;
}

function Clock({ run, heard }: { run: Run; heard: number }) {
  const passed = usePassed(heard, ENDED.has(run.state) || run.state === "waiting");
  return (
    <>
      {run.taken_at && `${duration(run.seconds + passed)} on ${run.agent}`} <Progress run={run} heard={heard} />
    </>
  );
}

function Acts({ run, title }: { run: Run; title: string }) {
  const [asking, ask] = useState(false);
  const cancel = useCancel(title, run.number);
  const again = useAgain(title, run.number);
  const approve = useApprove(title, run.number);
  const go = useNavigate();
  const can = (name: string) => run.allowed_actions.find((a) => a.name === name);
  return (
    <>
      {(cancel.error || again.error || approve.error) && <Failure error={cancel.error ?? again.error ?? approve.error} />}
      {run.approved_by.length > 0 && <span className="dim">Approved by {run.approved_by.join(", ")} </span>}
      {can("approve")?.possible && (
        <Button size="compact-md" variant="filled" mr={8} loading={approve.isPending} onClick={() => approve.mutate()}>
          Approve it
        </Button>
      )}
      {ENDED.has(run.state) ? (
        <Button
          size="compact-md"
          variant="default"
          disabled={!can("repeat")?.possible}
          title={can("repeat")?.reason}
          loading={again.isPending}
          onClick={() => again.mutate(undefined, { onSuccess: (made) => void go(`/titles/${title}/runs/${made.items[0]!.number}`) })}
        >
          Start again
        </Button>
      ) : (
        <Button
          size="compact-md"
          variant="default"
          disabled={!can("cancel")?.possible}
          title={can("cancel")?.reason}
          onClick={() => ask(true)}
        >
          Cancel …
        </Button>
      )}
      <Modal opened={asking} onClose={() => ask(false)} title={`Cancel run ${run.number}?`}>
        <p style={{ marginTop: 0 }}>
          {run.step
            ? `${capital(run.agent)} stops the step ${run.step} and everything that runs for it within seconds. ${duration(run.seconds)} of work are lost; the log stays.`
            : "It has not begun: nothing is lost."}
        </p>
        <Button
          color="rust"
          className="danger"
          loading={cancel.isPending}
          onClick={() => cancel.mutate(undefined, { onSettled: () => ask(false) })}
        >
          Cancel the run
        </Button>
      </Modal>
    </>
  );
}
