import { When } from "../../ui/parts";
import { Pictures } from "../testing/Pictures";
import type { Feedback } from "./queries";

/** What was said, and what was answered to it. */
export function Words({ of }: { of: Feedback }) {
  return (
    <div style={{ display: "grid", gap: 10 }}>
      <Word who={of.person} at={of.created_at} text={of.text} />
      <Pictures ids={of.pictures} />
      {of.words.map((word) => (
        <Word key={word.at} who={word.by_studio ? `${word.who}, of the studio` : word.who} at={word.at} text={word.text} />
      ))}
    </div>
  );
}

function Word({ who, at, text }: { who: string; at: string; text: string }) {
  return (
    <div>
      <div className="dim">
        {who}, <When at={at} />
      </div>
      <div style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{text}</div>
    </div>
  );
}

export function FeedbackState({ of }: { of: Feedback }) {
  if (of.state === "open") return <span className="severity warning">▲ open</span>;
  if (of.state === "closed") return <span className="came">✓ closed</span>;
  return <span className="dim">answered</span>;
}
