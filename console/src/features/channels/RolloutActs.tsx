import { Button, NumberInput, TextInput } from "@mantine/core";
import { type FormEvent, type ReactNode, useState } from "react";
import { Link } from "react-router";

import { Failure } from "../../ui/parts";
import { type Rollout, type RolloutAct, useRolloutAct } from "./queries";

export const PLAN = "1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days";

/** Growing by hand or by a plan, holding, going on, and the ways back. What is not possible now says why. */
export function RolloutActs({ title, rollout, withdraw }: { title: string; rollout: Rollout; withdraw: () => void }) {
  const act = useRolloutAct(title, rollout.channel, rollout.number);
  const can = Object.fromEntries(rollout.allowed_actions.map((a) => [a.name, a]));
  const send = (what: RolloutAct) => act.mutate(what);
  return (
    <div style={{ display: "grid", gap: 12 }}>
      <Grow key={`grow ${rollout.share}`} rollout={rollout} send={send} />
      <Plan key={`plan ${rollout.plan}`} rollout={rollout} send={send} />
      {can["go-on"]?.possible ? (
        <Row text={`It goes on at ${rollout.share} %, and so does its plan.`}>
          <Button onClick={() => send({ path: "go-on" })}>Go on</Button>
        </Row>
      ) : (
        <Hold can={can.hold} send={send} />
      )}
      <Row text="An earlier build for every device, at its next look.">
        <Button
          component={Link}
          to={`/titles/${title}/channels/${rollout.channel}/roll-back`}
          variant="default"
          data-disabled={!can.withdraw?.possible || undefined}
          title={can.withdraw?.reason}
          style={{ flexShrink: 0 }}
        >
          Roll back …
        </Button>
      </Row>
      <Row text="Devices keep it, and no other gets it any more.">
        <Button
          variant="default"
          disabled={!can.withdraw?.possible}
          title={can.withdraw?.reason}
          onClick={withdraw}
          style={{ flexShrink: 0 }}
        >
          Withdraw …
        </Button>
      </Row>
      {act.error && <Failure error={act.error} />}
    </div>
  );
}

type Send = (what: RolloutAct) => void;

function Grow({ rollout, send }: { rollout: Rollout; send: Send }) {
  const can = rollout.allowed_actions.find((a) => a.name === "grow");
  const [to, setTo] = useState<number | string>(Math.min(100, rollout.share < 1 ? 1 : rollout.share * 2));
  const grow = (event: FormEvent) => {
    event.preventDefault();
    send({ path: "grow", body: { share: Number(to) } });
  };
  return (
    <form onSubmit={grow} style={{ display: "flex", gap: 8, alignItems: "end" }}>
      <NumberInput
        label={`Grow it from ${rollout.share} % to`}
        suffix=" %"
        value={to}
        onChange={setTo}
        min={0}
        max={100}
        decimalScale={1}
        disabled={!can?.possible}
        style={{ flex: 1 }}
      />
      <Button type="submit" disabled={!can?.possible} title={can?.reason}>
        Grow to {to || 0} %
      </Button>
    </form>
  );
}

function Plan({ rollout, send }: { rollout: Rollout; send: Send }) {
  const can = rollout.allowed_actions.find((a) => a.name === "grow");
  const [text, setText] = useState(rollout.plan);
  const same = text.trim() === rollout.plan;
  const plan = (event: FormEvent) => {
    event.preventDefault();
    send({ path: "plan", method: "PUT", body: { plan: text } });
  };
  return (
    <form onSubmit={plan} style={{ display: "flex", gap: 8, alignItems: "end" }}>
      <TextInput
        label="Plan"
        description="Times count from now on; empty: by hand."
        placeholder={PLAN}
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
        disabled={!can?.possible}
        style={{ flex: 1 }}
      />
      <Button type="submit" variant="default" disabled={!can?.possible || same} title={can?.reason}>
        {text.trim() || !rollout.plan ? "Follow it" : "End the plan"}
      </Button>
    </form>
  );
}

function Hold({ can, send }: { can?: { possible: boolean; reason: string }; send: Send }) {
  const [why, setWhy] = useState("");
  const hold = (event: FormEvent) => {
    event.preventDefault();
    send({ path: "hold", body: { why } });
  };
  return (
    <form onSubmit={hold} style={{ display: "flex", gap: 8, alignItems: "end" }}>
      <TextInput
        label="Hold it because"
        placeholder="What you saw; everybody reads it"
        value={why}
        onChange={(e) => setWhy(e.currentTarget.value)}
        disabled={!can?.possible}
        style={{ flex: 1 }}
      />
      <Button type="submit" variant="default" disabled={!can?.possible} title={can?.reason}>
        Hold
      </Button>
    </form>
  );
}

function Row({ text, children }: { text: string; children: ReactNode }) {
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "center", justifyContent: "space-between" }}>
      <span className="dim">{text}</span>
      {children}
    </div>
  );
}
