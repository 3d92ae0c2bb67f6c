import { Button, Group, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { Answer, Failure, PageHead, Panel } from "../../ui/parts";
import { type Feedback, useFeedback, useFeedbackAct } from "./queries";
import { FeedbackState, Words } from "./Words";

/** What did this tester see, and what do we answer? */
export function FeedbackPage() {
  const { title = "", feedback = "" } = useParams();
  const found = useFeedback(title, feedback);
  return (
    <Answer of={found} rows={6}>
      {(data) => (
        <>
          <PageHead title={`Feedback ${data.number}`}>
            <FeedbackState of={data} /> · {data.person} on{" "}
            <Link to={`/titles/${title}/builds/${data.build}`}>
              #{data.build}, {data.version_name} for {data.platform}
            </Link>
            {data.device && ` · ${data.device}`}
          </PageHead>
          <Mended title={title} of={data} />
          <div className="halves" style={{ marginTop: 0 }}>
            <Panel title="What was said">
              <Words of={data} />
            </Panel>
            <Acts title={title} of={data} />
          </div>
        </>
      )}
    </Answer>
  );
}

function Mended({ title, of }: { title: string; of: Feedback }) {
  if (!of.mended_build && !of.mended_commit) return null;
  return (
    <div className="headline done">
      Mended
      {of.mended_build && (
        <>
          {" "}
          in <Link to={`/titles/${title}/builds/${of.mended_build}`}>#{of.mended_build}</Link>
        </>
      )}
      {of.mended_commit && (
        <>
          {" "}
          by commit <span className="mono">{of.mended_commit.slice(0, 12)}</span>
        </>
      )}
      .
    </div>
  );
}

function Acts({ title, of }: { title: string; of: Feedback }) {
  const act = useFeedbackAct(title, String(of.number));
  const [text, setText] = useState("");
  const [build, setBuild] = useState("");
  const [commit, setCommit] = useState("");
  const may = (name: string) => of.allowed_actions.find((a) => a.name === name);
  const done = { onSuccess: () => setText("") };
  if (of.state === "closed")
    return (
      <Panel title="Closed">
        {act.error && <Failure error={act.error} />}
        <Button
          variant="default"
          disabled={!may("reopen")?.possible}
          title={may("reopen")?.reason}
          loading={act.isPending}
          onClick={() => act.mutate({ what: "reopen", body: {} })}
        >
          Open it again
        </Button>
      </Panel>
    );
  return (
    <Panel title="Answer">
      <Textarea
        label="To the tester"
        description={`${of.person} gets it by mail, and on their page`}
        autosize
        minRows={4}
        maxLength={8000}
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
      />
      {act.error && <Failure error={act.error} />}
      <Group mt="sm">
        <Button
          variant="filled"
          disabled={!may("answer")?.possible || !text.trim()}
          title={may("answer")?.reason}
          loading={act.isPending && act.variables.what === "answer"}
          onClick={() => act.mutate({ what: "answer", body: { text } }, done)}
        >
          Answer
        </Button>
      </Group>
      <Group mt="md" align="end" gap="sm">
        <TextInput
          label="Mended in build"
          placeholder="14"
          inputMode="numeric"
          w={120}
          value={build}
          onChange={(e) => setBuild(e.currentTarget.value)}
        />
        <TextInput label="or by commit" w={180} value={commit} onChange={(e) => setCommit(e.currentTarget.value)} />
      </Group>
      <Group mt="sm">
        <Button
          variant="default"
          disabled={!may("close")?.possible}
          title={may("close")?.reason}
          loading={act.isPending && act.variables.what === "close"}
          onClick={() =>
            act.mutate({ what: "close", body: { text, commit: commit.trim(), ...(build.trim() && { build: Number(build) }) } }, done)
          }
        >
          Close it{text.trim() && " with this answer"}
        </Button>
      </Group>
    </Panel>
  );
}
