import { Button } from "@mantine/core";
import { Link, useParams } from "react-router";

import { duration, plural } from "../../ui/format";
import { Answer, Digest, Failure, PageHead, Panel, When } from "../../ui/parts";
import { Difference } from "../document/Difference";
import { useTitle } from "../titles/queries";
import { CommitRows } from "./CommitRows";
import { type Bisect, useBisect, useCancelBisect, useCommitDiff } from "./queries";
import { State } from "./State";

/** Which commit did it, or how far is the search? */
export function BisectPage() {
  const { title = "", bisect = "" } = useParams();
  const found = useBisect(title, Number(bisect));
  const { data: named } = useTitle(title);
  return (
    <>
      <PageHead title={`Bisect ${bisect} of ${named?.name ?? title}`} aside={<Link to={`/titles/${title}/bisects`}>All bisects</Link>}>
        {found.data && `${found.data.about}, between ${found.data.good} and ${found.data.bad}.`}
      </PageHead>
      <Answer of={found}>
        {(data) => (
          <>
            <Headline bisect={data} />
            {data.found && <Found bisect={data} />}
            <Panel title="Commits" aside={<Aside bisect={data} />} flush>
              <CommitRows bisect={data} />
            </Panel>
          </>
        )}
      </Answer>
    </>
  );
}

function Headline({ bisect }: { bisect: Bisect }) {
  const cancel = useCancelBisect(bisect.title, bisect.number);
  const can = bisect.allowed_actions.find((a) => a.name === "cancel");
  const kind = { working: "", found: "done", narrowed: "silent", refuted: "silent", cancelled: "" }[bisect.state];
  return (
    <div className={`headline ${kind}`} style={{ display: "flex", gap: 12, alignItems: "center", flexWrap: "wrap" }}>
      <div style={{ flex: 1, minWidth: 260 }}>
        <State state={bisect.state} />. {bisect.said || <Left bisect={bisect} />}
      </div>
      {bisect.state === "working" && (
        <Button
          variant="default"
          size="compact-md"
          disabled={!can?.possible}
          title={can?.reason}
          loading={cancel.isPending}
          onClick={() => cancel.mutate()}
        >
          Cancel it and its runs
        </Button>
      )}
      {cancel.error && <Failure error={cancel.error} />}
    </div>
  );
}

function Left({ bisect }: { bisect: Bisect }) {
  return (
    <>
      {bisect.left} of {plural(bisect.commits, "commit")} can be it; {plural(bisect.rounds_left, "round")} more at most
      {bisect.expected ? `, about ${duration(bisect.expected)}` : ""}. It goes on when this page is closed.
    </>
  );
}

function Aside({ bisect }: { bisect: Bisect }) {
  return (
    <>
      oldest first; tried with {bisect.profile}
      {bisect.form && `, told that it is a ${bisect.form}`}; by {bisect.started_by} <When at={bisect.created_at} />
    </>
  );
}

function Found({ bisect }: { bisect: Bisect }) {
  const one = bisect.found!;
  const diff = useCommitDiff(bisect.title, bisect.number);
  return (
    <div style={{ marginBottom: 16 }}>
      <Panel
        title={one.subject}
        aside={
          <>
            <Digest value={one.commit} what="commit" length={10} /> by {one.author} {one.at && <When at={one.at} />}
          </>
        }
        flush
      >
        <Answer of={diff}>
          {(data) => (
            <>
              <Difference text={`\n\n${data.text}`} />
              {data.cut && (
                <p className="dim" style={{ padding: "0 14px" }}>
                  It is longer than this; git shows the rest.
                </p>
              )}
            </>
          )}
        </Answer>
      </Panel>
    </div>
  );
}
