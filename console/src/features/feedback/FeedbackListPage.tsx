import { useParams } from "react-router";

import { Choose, Search, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { FeedbackRows } from "./FeedbackRows";
import { useFeedbackList } from "./queries";

/** What do testers say, and who waits for an answer? */
export function FeedbackListPage() {
  const { title = "" } = useParams();
  const filters = useFilters();
  const { data: found } = useTitle(title);
  const feedback = useFeedbackList(title, { ...filters.asked, limit: "25" });
  return (
    <>
      <PageHead title={`Feedback on ${found?.name ?? title}`}>
        From the pages of those who test it; they hear of each answer by mail.
      </PageHead>
      <div className="filters">
        <Search of={filters} label="Search what was said" w={230} />
        <Choose of={filters} name="state" label="State" every="Every state" data={["open", "answered", "closed"]} w={150} />
      </div>
      <Panel title="What was said" aside="newest first" flush>
        <Answer of={feedback} rows={6}>
          {(page) =>
            page.items.length ? (
              <>
                <FeedbackRows title={title} items={page.items} />
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            ) : Object.keys(filters.asked).length ? (
              <Empty>Nothing like that was said.</Empty>
            ) : (
              <Empty command={`bin/rampa feedback list --title ${title}`}>
                Nobody said anything yet. Testers write on the page of a build that they may install.
              </Empty>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}
