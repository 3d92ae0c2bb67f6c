import { Answer, Empty, Panel } from "../../ui/parts";
import { FeedbackRows } from "./FeedbackRows";
import { useFeedbackList } from "./queries";

/** What testers said of one build. */
export function BuildFeedbackPanel({ title, build }: { title: string; build: number }) {
  const found = useFeedbackList(title, { build: String(build), limit: "20" });
  return (
    <Panel title="Feedback" flush>
      <Answer of={found} rows={2}>
        {({ items }) =>
          items.length ? <FeedbackRows title={title} items={items} build={false} /> : <Empty>No tester said anything of this build.</Empty>
        }
      </Answer>
    </Panel>
  );
}
