import { Button } from "@mantine/core";
import { useState } from "react";

import { Confirm } from "../../ui/Confirm";
import { Failure, When } from "../../ui/parts";
import { type Screen, type ScreenAct, useScreenAct, useTakeOut } from "./queries";
import { ScreenFace } from "./ScreenFace";
import { Standing } from "./Standing";
import "./screens.css";

const ACTS: { act: ScreenAct; label: string }[] = [
  { act: "install", label: "Install" },
  { act: "stop", label: "Stop" },
  { act: "start", label: "Start" },
  { act: "close", label: "Close" },
  { act: "look", label: "Look now" },
  { act: "restart", label: "Restart" },
];

/** One simulated device: its screen, what can be done there, where it stands. */
export function Machine({ screen }: { screen: Screen }) {
  const act = useScreenAct(screen.device);
  const [asking, ask] = useState(false);
  const shown = ACTS.filter(({ act: a }) => screen.acts.includes(a));
  return (
    <article className="machine">
      <header>
        <b>{screen.name}</b>
        <span>
          {screen.channel} of {screen.title_name}
        </span>
        <span className="dim">{screen.looked_at ? <When at={screen.looked_at} /> : "not looked yet"}</span>
      </header>
      <ScreenFace screen={screen} />
      {screen.trouble && screen.state !== "crashed" && (
        <p className="severity warning" style={{ whiteSpace: "normal", marginBottom: 0 }}>
          ▲ {screen.trouble}
        </p>
      )}
      {screen.said && (
        <pre className="mono dim" style={{ whiteSpace: "pre-wrap", margin: "8px 0 0", overflowWrap: "anywhere" }}>
          {screen.said.trim()}
        </pre>
      )}
      {act.error && <Failure error={act.error} />}
      <div className="acts">
        {shown.map(({ act: a, label }, n) => (
          <Button
            key={a}
            size="compact-sm"
            variant={n === 0 ? "filled" : "default"}
            aria-label={`${label}, ${screen.name}`}
            loading={act.isPending && act.variables === a}
            onClick={() => act.mutate(a)}
          >
            {label}
          </Button>
        ))}
      </div>
      <Standing screen={screen} />
      <Button variant="subtle" size="compact-xs" mt={8} onClick={() => ask(true)} aria-label={`Take it out … ${screen.name}`}>
        Take it out …
      </Button>
      {asking && <TakeOut screen={screen} close={() => ask(false)} />}
    </article>
  );
}

function TakeOut({ screen, close }: { screen: Screen; close: () => void }) {
  const remove = useTakeOut();
  return (
    <Confirm
      title={`Take ${screen.name} out`}
      keep="Keep it"
      act="Take it out"
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate(screen.device, { onSuccess: close })}
      close={close}
    >
      Its key is worth nothing any more, and what is installed on it is removed with it.
    </Confirm>
  );
}
