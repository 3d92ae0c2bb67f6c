import { Button, Textarea } from "@mantine/core";
import { useState } from "react";

import { Answer, Empty, Failure } from "../../ui/parts";
import { type Feedback, useOwnFeedback, useReply } from "../feedback/queries";
import { FeedbackState, Words } from "../feedback/Words";
import "./testing.css";

/** What did I say, and what came of it? */
export function OwnFeedbackPage() {
  const own = useOwnFeedback();
  return (
    <>
      <h1>Your feedback</h1>
      <Answer of={own} rows={5}>
        {({ items }) =>
          items.length ? (
            items.map((f) => <One key={f.id} of={f} />)
          ) : (
            <div className="card">
              <Empty>You said nothing yet. Each build&apos;s page has a place to.</Empty>
            </div>
          )
        }
      </Answer>
    </>
  );
}

function One({ of }: { of: Feedback }) {
  const [text, setText] = useState("");
  const reply = useReply(of.id);
  const may = of.allowed_actions.some((a) => a.name === "reply" && a.possible);
  return (
    <article className="card">
      <div className="first" style={{ marginBottom: 8 }}>
        <b>
          {of.title_name} {of.version_name}, #{of.build}
        </b>
        <span className="dim">
          <FeedbackState of={of} />
        </span>
      </div>
      <Words of={of} />
      {of.mended_build && <p className="came">✓ mended in #{of.mended_build}</p>}
      {may && of.words.length > 0 && (
        <>
          <Textarea
            aria-label="Your reply"
            placeholder="Your reply"
            mt="sm"
            autosize
            minRows={2}
            maxLength={8000}
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
          />
          {reply.error && <Failure error={reply.error} />}
          <Button
            className="big"
            variant="default"
            disabled={!text.trim()}
            loading={reply.isPending}
            onClick={() => reply.mutate(text, { onSuccess: () => setText("") })}
          >
            Reply
          </Button>
        </>
      )}
    </article>
  );
}
