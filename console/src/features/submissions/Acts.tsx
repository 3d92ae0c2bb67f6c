import { Button, Group, Modal, NumberInput, Textarea } from "@mantine/core";
import { useState } from "react";
import { useNavigate } from "react-router";

import { capital } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { type Act, type Submission, useAct } from "./queries";

interface Words {
  button: string;
  title: (of: Submission) => string;
  says: (of: Submission) => string;
  text?: string;
  share?: boolean;
  grave?: boolean;
}

/** What each act is called, and what it does, said before it is done. */
const ACTS: Record<Act, Words> = {
  stop: {
    button: "Stop sending",
    title: () => "Stop sending?",
    says: () => "What is there already stays there; it goes on where it ended.",
  },
  "go-on-sending": { button: "Go on sending", title: () => "Go on sending?", says: () => "It goes on where it ended." },
  "send-again": {
    button: "Send it again …",
    title: (of) => `Send it to ${of.storefront_title} again?`,
    says: () => "The whole bundle is sent once more, under the same version code.",
  },
  answer: {
    button: "Answer …",
    title: () => "Answer the reviewer",
    says: () => "It goes back in line, with your words.",
    text: "Your answer",
  },
  appeal: {
    button: "Appeal …",
    title: () => "Ask for another look",
    says: (of) => `Another reviewer at ${of.storefront_title} looks at the same bundle.`,
    text: "Why it is good as it is",
  },
  withdraw: {
    button: "Withdraw …",
    title: (of) => `Withdraw it from ${of.storefront_title}?`,
    says: (of) =>
      of.state === "live" || of.state === "partly-live"
        ? "Players are offered it no more; who has it keeps it. It cannot come back under this version code."
        : "Nobody reviews it any more. It cannot come back under this version code.",
    grave: true,
  },
  "go-live": {
    button: "Let it go live …",
    title: (of) => `Let ${of.version_name} go live at ${of.storefront_title}`,
    says: () => "Players get it as the storefront delivers it. The gates of the channel are looked at first.",
    share: true,
  },
  share: {
    button: "Give it to more …",
    title: () => "Give it to more players",
    says: (of) => `${of.share} % of the players have it now.`,
    share: true,
  },
  hold: {
    button: "Hold …",
    title: () => "Hold it?",
    says: (of) => `${of.share} % of the players have it and keep it; nobody else gets it.`,
  },
  "go-on": { button: "Let it go on", title: () => "Let it go on?", says: (of) => `Players up to ${of.share} % get it again.` },
  "roll-back": {
    button: "Roll back …",
    title: () => "Roll it back?",
    says: () => "Players are offered what the storefront showed before.",
    grave: true,
  },
};
const AT_ONCE: string[] = ["stop", "go-on-sending", "go-on"];

export function Acts({ data, asking, ask }: { data: Submission; asking: string; ask: (act: string) => void }) {
  const act = useAct(data.title, data.number);
  const go = useNavigate();
  const known = data.allowed_actions.filter((a) => a.name in ACTS);
  const again = data.allowed_actions.find((a) => a.name === "submit-again");
  if (!known.length && !again) return null;
  return (
    <>
      <Group gap="sm" mt="md">
        {again && (
          <Button
            variant={data.mended_by ? "default" : "filled"}
            disabled={!again.possible}
            onClick={() => void go(`/titles/${data.title}/submissions/submit?replaces=${data.number}&to=${data.storefront}`)}
          >
            Mend it and submit again …
          </Button>
        )}
        {known.map(({ name, possible, reason }) => {
          const words = ACTS[name as Act];
          const now = AT_ONCE.includes(name);
          const first = name === known[0]?.name && !again && name !== "withdraw" && name !== "stop";
          return (
            <Button
              key={name}
              variant={first ? "filled" : "default"}
              disabled={!possible}
              title={reason}
              loading={act.isPending && now}
              onClick={() => (now ? act.mutate({ act: name as Act }) : ask(name))}
            >
              {words.button}
            </Button>
          );
        })}
      </Group>
      {act.error && !asking && <Failure error={act.error} />}
      {asking && <Ask data={data} name={asking as Act} close={() => ask("")} />}
    </>
  );
}

function Ask({ data, name, close }: { data: Submission; name: Act; close: () => void }) {
  const words = ACTS[name];
  const act = useAct(data.title, data.number);
  const able = data.share < 100 || name === "go-live";
  const [text, setText] = useState("");
  const [share, setShare] = useState<number>(name === "go-live" ? data.share : Math.min(100, data.share * 2));
  const send = () => act.mutate({ act: name, ...(words.text ? { text } : {}), ...(words.share ? { share } : {}) }, { onSuccess: close });
  return (
    <Modal opened onClose={close} title={<b>{words.title(data)}</b>}>
      <p style={{ marginTop: 0 }}>{words.says(data)}</p>
      {words.text && (
        <Textarea label={words.text} autosize minRows={3} data-autofocus value={text} onChange={(e) => setText(e.currentTarget.value)} />
      )}
      {words.share && able && (
        <NumberInput label="Of the players" suffix=" %" min={1} max={100} value={share} onChange={(v) => setShare(Number(v) || 1)} />
      )}
      {act.error && <Failure error={act.error} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Leave it as it is
        </Button>
        <Button
          className={words.grave ? "danger" : undefined}
          color={words.grave ? "rust.7" : undefined}
          disabled={Boolean(words.text) && !text.trim()}
          loading={act.isPending}
          onClick={send}
        >
          {capital(words.button.replace(" …", ""))}
        </Button>
      </Group>
    </Modal>
  );
}
