import { Button, Textarea } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { plural } from "../../ui/format";
import { Fact, Failure, Panel, When } from "../../ui/parts";
import { type Studio, useStudioAct, type VerifiedAt } from "./queries";

const MARKS: Record<string, { mark: string; kind: string }> = {
  verified: { mark: "✓", kind: "came" },
  asked: { mark: "▲", kind: "severity warning" },
  refused: { mark: "■", kind: "severity blocker" },
  ended: { mark: "■", kind: "severity blocker" },
};
const WAITS = ["handed-in", "looking"];
const VERDICTS = { verify: "Verify", ask: "Ask", refuse: "Refuse", end: "End" } as const;

export function Verifications({ studio }: { studio: Studio }) {
  return (
    <Panel title="Verified by" flush>
      {!studio.verified && (
        <div className="headline silent" style={{ padding: "10px 14px 0" }}>
          Nobody has verified {studio.name} yet: no build can go to everybody.
        </div>
      )}
      {studio.verifications.map((at) => (
        <Row key={at.verifier} at={at} studio={studio} />
      ))}
    </Panel>
  );
}

function Row({ at, studio }: { at: VerifiedAt; studio: Studio }) {
  const handIn = useStudioAct(() => call<Studio>(`/studio/verifications/${at.verifier}`, { method: "POST" }));
  const look = useStudioAct(() => call<Studio>(`/studio/verifications/${at.verifier}/look`, { method: "POST" }));
  const state = MARKS[at.state] ?? { mark: "●", kind: "severity note" };
  const may = (name: string) => at.allowed_actions.find((a) => a.name === name);
  const words = Object.fromEntries(studio.kinds.map((k) => [k.kind, k.words]));
  return (
    <section style={{ padding: "12px 14px", borderTop: "1px solid var(--r-line)" }} aria-label={at.title}>
      <div style={{ display: "flex", gap: 12, alignItems: "baseline", flexWrap: "wrap" }}>
        <b>{at.title}</b>
        <span className={state.kind}>
          <span aria-hidden>{state.mark}</span> {at.state_words}
        </span>
        <span className="dim">
          since <When at={at.since} />
        </span>
        <span style={{ marginLeft: "auto", display: "flex", gap: 8, flexWrap: "wrap" }}>
          {may("look") && (
            <Button
              size="compact-sm"
              variant="default"
              loading={look.isPending}
              disabled={!may("look")?.possible}
              onClick={() => look.mutate()}
            >
              Look now
            </Button>
          )}
          {at.state !== "verified" && !WAITS.includes(at.state) && (
            <Button
              size="compact-sm"
              variant="filled"
              loading={handIn.isPending}
              disabled={!may("hand-in")?.possible}
              onClick={() => handIn.mutate()}
            >
              Hand it in
            </Button>
          )}
        </span>
      </div>
      {(handIn.error || look.error) && <Failure error={handIn.error ?? look.error} />}
      <dl className="facts" style={{ marginTop: 8 }}>
        {WAITS.includes(at.state) && (
          <Fact term="Waits for">
            {plural(at.days, "day")}; said to take {plural(at.usual_days, "day")}
          </Fact>
        )}
        <Fact term="Asks for">{at.needs.map((kind) => words[kind] ?? kind).join("; ") || "no documents"}</Fact>
        {at.until && (
          <Fact term="Holds until">
            <When at={at.until} />
          </Fact>
        )}
        {at.state !== "verified" && !WAITS.includes(at.state) && may("hand-in")?.reason && (
          <Fact term="Before that">{may("hand-in")?.reason}</Fact>
        )}
        {at.words.slice(-5).map((word) => (
          <Fact key={word.at} term={word.by}>
            {word.text}{" "}
            <span className="dim">
              <When at={word.at} />
            </span>
          </Fact>
        ))}
      </dl>
      {may("verify") && <Verdict at={at} />}
    </section>
  );
}

/** The word of the studio's own reviewers. */
function Verdict({ at }: { at: VerifiedAt }) {
  const [text, setText] = useState("");
  const decide = useStudioAct((verdict: string) => call<Studio>("/studio/verdict", { method: "POST", body: { verdict, text } }));
  const open = at.allowed_actions.filter((a) => a.name in VERDICTS && a.possible);
  if (!open.length) return null;
  if (at.state === "verified") return <End />;
  return (
    <div style={{ marginTop: 8 }}>
      <Textarea
        size="xs"
        autosize
        maw={560}
        label="What you say to whoever handed it in"
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
      />
      <div style={{ display: "flex", gap: 8, marginTop: 8 }}>
        {open.map((a) => (
          <Button
            key={a.name}
            size="compact-sm"
            variant={a.name === "verify" ? "filled" : "default"}
            loading={decide.isPending && decide.variables === a.name}
            disabled={(a.name === "ask" || a.name === "refuse") && !text.trim()}
            onClick={() => decide.mutate(a.name, { onSuccess: () => setText("") })}
          >
            {VERDICTS[a.name as keyof typeof VERDICTS]}
          </Button>
        ))}
      </div>
      {decide.error && <Failure error={decide.error} />}
    </div>
  );
}

/** What is out stays; nothing more goes there. */
function End() {
  const [asking, ask] = useState(false);
  const end = useStudioAct(() => call<Studio>("/studio/verdict", { method: "POST", body: { verdict: "end", text: "" } }));
  return (
    <div style={{ marginTop: 8 }}>
      <Button size="compact-sm" variant="default" onClick={() => ask(true)}>
        End it …
      </Button>
      {asking && (
        <Confirm
          title="End the verification for Rampa's own lines?"
          keep="Keep it"
          act="End it"
          error={end.error}
          pending={end.isPending}
          confirm={() => end.mutate(undefined, { onSuccess: () => ask(false) })}
          close={() => ask(false)}
        >
          What is out stays. Unless a storefront has verified the studio, no build goes to everybody any more until it is verified anew.
        </Confirm>
      )}
    </div>
  );
}
