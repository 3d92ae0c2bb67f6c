import { Button } from "@mantine/core";
import { Link, useNavigate, useParams } from "react-router";

import { Choose, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, PageHead, Panel, When } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { FindDialogue } from "./FindDialogue";
import { useBisects } from "./queries";
import { State } from "./State";

/** Which commits were looked for, and what came of it? */
export function BisectsPage({ finding = false }: { finding?: boolean }) {
  const { title = "" } = useParams();
  const filters = useFilters();
  const { data: found } = useTitle(title);
  const bisects = useBisects(title, { ...filters.asked, limit: "25" });
  const go = useNavigate();
  const at = `/titles/${title}/bisects`;
  return (
    <>
      <PageHead title={`Bisects of ${found?.name ?? title}`} aside={<Button onClick={() => void go(`${at}/find`)}>Find a commit …</Button>}>
        Which commit between a good and a bad build made the difference, found by runs on the agents.
      </PageHead>
      <div className="filters">
        <Choose
          of={filters}
          name="state"
          label="State"
          every="Every state"
          data={["working", "found", "narrowed", "refuted", "cancelled"]}
          w={150}
        />
      </div>
      <Panel title="Bisects" aside="newest first" flush>
        <Answer of={bisects}>
          {(page) =>
            page.items.length === 0 ? (
              <Empty command={`bin/rampa run bisect ${title}#N ${title}#M --by self-test`}>
                {filters.get("state") ? "None is like that." : "No commit was looked for yet. A crash group's page begins one, too."}
              </Empty>
            ) : (
              <>
                <table className="rows">
                  <thead>
                    <tr>
                      <th className="number">Bisect</th>
                      <th>State</th>
                      <th>What is wrong</th>
                      <th>Between</th>
                      <th className="wide">Tried with</th>
                      <th className="wide">Started</th>
                    </tr>
                  </thead>
                  <tbody>
                    {page.items.map((b) => (
                      <tr key={b.number}>
                        <td className="number">
                          <Link to={`${at}/${b.number}`} style={{ fontWeight: 600 }}>
                            {b.number}
                          </Link>
                        </td>
                        <td className="tight">
                          <State state={b.state} />
                        </td>
                        <td className="path">{b.about}</td>
                        <td>
                          {b.good} and {b.bad}
                        </td>
                        <td className="wide">{b.profile}</td>
                        <td className="wide tight">
                          <When at={b.created_at} /> <span className="dim">by {b.started_by}</span>
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            )
          }
        </Answer>
      </Panel>
      {finding && <FindDialogue title={title} from={{ by: "self-test", subject: "", good: "", bad: "" }} close={() => void go(at)} />}
    </>
  );
}
