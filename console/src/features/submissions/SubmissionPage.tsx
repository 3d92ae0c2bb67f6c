import { Button, Stack } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { capital, duration, exact, plural } from "../../ui/format";
import { Answer, Fact, Failure, PageHead, Panel, Soon, When } from "../../ui/parts";
import { Acts } from "./Acts";
import { Bar } from "./Bar";
import { Found } from "./Found";
import { type Submission, useLook, useSubmission } from "./queries";
import { State } from "./State";
import { Timeline } from "./Timeline";

/** Where is this submission, what did the reviewers say, and what must one of us do? */
export function SubmissionPage() {
  const { title = "", submission = "" } = useParams();
  const number = Number(submission);
  const found = useSubmission(title, number);
  const look = useLook(title, number);
  return (
    <Answer of={found} rows={8}>
      {(data) => (
        <>
          <PageHead
            title={`${data.version_name} for ${capital(data.platform)} at ${data.storefront_title}`}
            aside={
              <Button variant="default" loading={look.isPending} onClick={() => look.mutate()}>
                Ask {data.storefront_title} now
              </Button>
            }
          >
            Submission {data.number}, <Link to={`/titles/${title}/builds/${data.build}`}>{data.build_name}</Link>, version code{" "}
            {data.version_code.toLocaleString("en")}; made by {data.made_by} <When at={data.created_at} />
            {data.looked_at && (
              <>
                ; {data.storefront_title} was asked <When at={data.looked_at} />
              </>
            )}
            .
          </PageHead>
          {look.error && <Failure error={look.error} />}
          {data.set_back && <div className="headline failed">{capital(data.set_back)}.</div>}
          {data.said && (
            <div className={`headline ${data.course === "sending" || data.mended_by ? "silent" : "failed"}`}>{capital(data.said)}</div>
          )}
          <Stack gap="md">
            <Now data={data} />
            <Words data={data} />
            <Found data={data} />
            <Timeline data={data} />
            <Sent data={data} />
          </Stack>
        </>
      )}
    </Answer>
  );
}

function Now({ data }: { data: Submission }) {
  const [asking, ask] = useState("");
  return (
    <Panel title={<State of={data} />} aside={data.there && data.there !== data.words ? `"${data.there}" there` : undefined}>
      {data.upload && <Bar upload={data.upload} />}
      {data.course === "by-hand" && <ByHand data={data} />}
      <dl className="facts">
        <Fact term="Goes live">{goes(data)}</Fact>
        {data.verdict && data.course === "there" && (
          <Fact term="A verdict comes">
            usually after {duration(data.verdict.median)}; half of {plural(data.verdict.count, "submission")} between{" "}
            {duration(data.verdict.low)} and {duration(data.verdict.high)}
          </Fact>
        )}
      </dl>
      <Acts data={data} asking={asking} ask={ask} />
    </Panel>
  );
}

function goes(data: Submission) {
  if (data.state === "live" || data.state === "partly-live") return "it is live";
  const wait = data.wait ? ", when the others that it goes with passed, too" : "";
  if (data.going === "at-a-moment" && data.going_at) return <Soon at={data.going_at} />;
  return (data.going === "at-once" ? "by itself, once it passed" : "by an act of ours, once it passed") + wait;
}

function ByHand({ data }: { data: Submission }) {
  return (
    <ol className="sentence" style={{ marginTop: 0 }}>
      <li>
        Fetch <a href={`/api/v1/titles/${data.title}/submissions/${data.number}/hand-in`}>the sheet and the pictures</a> and{" "}
        <a href={`/api/v1/titles/${data.title}/builds/${data.build}/bundle`}>the bundle</a>.
      </li>
      <li>
        Open{" "}
        <a href={data.hand_in} rel="noreferrer noopener" target="_blank">
          {data.hand_in}
        </a>{" "}
        and hand in the bundle, sheet.json and the pictures.
      </li>
      <li>Rampa sees within a minute that it was done: nothing else is to be done here.</li>
    </ol>
  );
}

function Words({ data }: { data: Submission }) {
  if (!data.reviewers.length) return null;
  return (
    <Panel title="What was said" aside={plural(data.reviewers.length, "word")}>
      {data.reviewers.map((word) => (
        <div key={`${word.at} ${word.text}`} style={{ marginBottom: 10 }}>
          <b>{word.by}</b> <When at={word.at} />
          {word.about && <span className="dim"> on {word.about}</span>}
          {word.reason && <span className="dim"> ({word.reason})</span>}
          <div style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{word.text}</div>
        </div>
      ))}
    </Panel>
  );
}

function Sent({ data }: { data: Submission }) {
  const permissions = Object.entries(data.permissions);
  return (
    <Panel title="What was put before them">
      <dl className="facts">
        {data.replaces && (
          <Fact term="Mends">
            <Link to={`/titles/${data.title}/submissions/${data.replaces}`}>submission {data.replaces}</Link>
          </Fact>
        )}
        {data.mended_by && (
          <Fact term="Mended by">
            <Link to={`/titles/${data.title}/submissions/${data.mended_by}`}>submission {data.mended_by}</Link>
          </Fact>
        )}
        {data.changed.length > 0 && (
          <Fact term="Changed since">
            {data.changed.map((line) => (
              <div key={line}>{line}</div>
            ))}
          </Fact>
        )}
        <Fact term="Notes">{data.notes || "none"}</Fact>
        <Fact term="Listing">
          <Link to={`/titles/${data.title}/listing`}>state {data.listing}</Link>, in {data.languages.join(", ")}
        </Fact>
        <Fact term="Rating">{data.rating || "none"}</Fact>
        <Fact term="Permissions">
          {permissions.length
            ? permissions.map(([name, reason]) => (
                <div key={name}>
                  <b>{name}</b>: {reason}
                </div>
              ))
            : "it asks for none"}
        </Fact>
        <Fact term="Sent">{exact(data.created_at)}</Fact>
      </dl>
    </Panel>
  );
}
