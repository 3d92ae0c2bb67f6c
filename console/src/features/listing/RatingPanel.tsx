import { Button, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { Answer, Fact, Failure, Panel, When } from "../../ui/parts";
import { type Rating, useAffirm, useRating } from "./queries";

/** What was answered, what storefronts make of it, and who stands for it. */
export function RatingPanel({ title }: { title: string }) {
  const rating = useRating(title);
  return (
    <Panel title="Age rating" aside={<Link to={`/titles/${title}/listing/edit?part=rating`}>Change answers</Link>}>
      <Answer of={rating} rows={6}>
        {(data) => (
          <>
            <Affirmed rating={data} />
            <div className="halves">
              <Answers rating={data} />
              <Ratings rating={data} />
            </div>
            <Affirm title={title} rating={data} />
          </>
        )}
      </Answer>
    </Panel>
  );
}

function Affirmed({ rating }: { rating: Rating }) {
  const said = rating.affirmation;
  const open = rating.questions.filter((q) => !q.answer).length;
  if (!said) return <div className="headline silent">Nobody has affirmed the answers yet.{open > 0 && ` ${open} are still open.`}</div>;
  return (
    <div className={said.stale ? "headline silent" : "headline done"}>
      {said.person} affirmed the answers <When at={said.at} />.{said.stale && ` To be said again: ${said.stale}.`}
    </div>
  );
}

function Answers({ rating }: { rating: Rating }) {
  return (
    <dl className="facts" style={{ gridTemplateColumns: "minmax(0, 1fr) minmax(0, 1fr)" }}>
      {rating.questions.map((q) => (
        <Fact key={q.name} term={q.text}>
          {q.answers[q.answer] ?? "not answered"}
        </Fact>
      ))}
    </dl>
  );
}

function Ratings({ rating }: { rating: Rating }) {
  const asked = Object.fromEntries(rating.questions.map((q) => [q.name, q.text]));
  if (!rating.ratings.length) return <p className="dim">Each storefront rates the title once every question is answered.</p>;
  return (
    <div style={{ display: "grid", gap: 10 }}>
      {rating.ratings.map((r) => (
        <div key={r.storefront}>
          <b>{r.title}:</b> {r.rating}
          <div className="dim">
            {r.because.length ? `because of: ${r.because.map((name) => asked[name]).join(" ")}` : "every answer is the mildest"}
          </div>
        </div>
      ))}
    </div>
  );
}

function Affirm({ title, rating }: { title: string; rating: Rating }) {
  const affirm = useAffirm(title);
  const [name, setName] = useState("");
  const act = rating.allowed_actions.find((a) => a.name === "affirm");
  if (rating.affirmation && !rating.affirmation.stale) return null;
  return (
    <form
      style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap", marginTop: 16 }}
      onSubmit={(e) => {
        e.preventDefault();
        affirm.mutate({ number: rating.number, name }, { onSuccess: () => setName("") });
      }}
    >
      <TextInput
        size="xs"
        w={220}
        label="Your name, as a signature"
        value={name}
        maxLength={100}
        onChange={(e) => setName(e.currentTarget.value)}
        disabled={!act?.possible}
      />
      <Button size="xs" type="submit" variant="filled" loading={affirm.isPending} disabled={!act?.possible || !name.trim()}>
        Affirm the answers
      </Button>
      <span className="dim" style={{ fontSize: 12.5 }}>
        {act?.reason || `You say that the answers of state ${rating.number} are true of what players get.`}
      </span>
      {affirm.error && <Failure error={affirm.error} />}
    </form>
  );
}
