import { Button, Group, Select, Stack, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";

import { Failure } from "../../ui/parts";
import { type Review, type ReviewAct, useReviewAct } from "./queries";

type Act = ReviewAct["act"];
const WORDS: Partial<Record<Act, string>> = {
  pass: "Pass it",
  ask: "Ask",
  refuse: "Refuse it",
  note: "Note for reviewers",
  answer: "Answer",
  appeal: "Appeal",
  withdraw: "Withdraw it",
};

/** What one says of it: a verdict, a question, a note; or, for whoever made it, an answer. */
export function Verdict({ data }: { data: Review }) {
  const act = useReviewAct(data.title, data.number);
  const [text, setText] = useState("");
  const [about, setAbout] = useState("");
  const [reason, setReason] = useState<string | null>(null);
  const acts = data.allowed_actions.filter((a) => a.name in WORDS);
  const speaks = acts.some((a) => a.possible && a.name !== "withdraw");
  const refuses = acts.some((a) => a.name === "refuse" && a.possible);
  const send = (name: Act) =>
    act.mutate(
      { act: name, text, about, reason: name === "refuse" ? (reason ?? "") : "" },
      {
        onSuccess: () => {
          setText("");
          setAbout("");
          setReason(null);
        },
      },
    );
  if (!acts.length) return null;
  return (
    <Stack gap="sm" maw={760}>
      {speaks && (
        <>
          <Textarea
            label="In words"
            description="A question and a refusal quote the place; the studio has nothing else to go by."
            autosize
            minRows={2}
            value={text}
            onChange={(e) => setText(e.currentTarget.value)}
          />
          {refuses && (
            <Group gap="md" align="end">
              <TextInput
                label="The place"
                placeholder="permission camera"
                w={260}
                value={about}
                onChange={(e) => setAbout(e.currentTarget.value)}
              />
              <Select
                label="The reason, to refuse it"
                placeholder="Choose one"
                w={380}
                data={Object.entries(data.reasons).map(([value, label]) => ({ value, label }))}
                value={reason}
                onChange={setReason}
              />
            </Group>
          )}
        </>
      )}
      {act.error && <Failure error={act.error} />}
      <Group gap="sm">
        {acts.map(({ name, possible, reason: why }) => (
          <Button
            key={name}
            variant={name === "pass" || name === "answer" ? "filled" : "default"}
            disabled={!possible || ((name === "ask" || name === "note" || name === "answer" || name === "appeal") && !text.trim())}
            title={why}
            loading={act.isPending && act.variables?.act === name}
            onClick={() => send(name as Act)}
          >
            {WORDS[name as Act]}
          </Button>
        ))}
      </Group>
      {acts.some((a) => !a.possible && a.reason) && (
        <span className="dim">{[...new Set(acts.filter((a) => !a.possible && a.reason).map((a) => a.reason))].join(" ")}</span>
      )}
    </Stack>
  );
}
