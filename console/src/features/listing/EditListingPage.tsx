import "./listing.css";
import "../document/document.css";

import { Button, Tabs } from "@mantine/core";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { Answer, Failure, Loading, PageHead, Panel, When } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useTitle } from "../titles/queries";
import { DropDraft } from "./DropDraft";
import { FactsPart } from "./FactsPart";
import { ListingFindings } from "./ListingFindings";
import { PicturesPart } from "./PicturesPart";
import { useCheck, useListing, useRules } from "./queries";
import { RatingPart } from "./RatingPart";
import { TextsPart } from "./TextsPart";
import { type DraftInHand, type Status, useListingDraft } from "./useListingDraft";

const PARTS = { texts: "Texts", facts: "Category, licence, links", pictures: "Pictures", rating: "Age rating" };
const WORDS: Record<Status, string> = {
  unchanged: "No draft yet: type, and it is kept.",
  typing: "Typing …",
  keeping: "Keeping the draft …",
  kept: "Draft kept",
  elsewhere: "Not kept",
  failed: "Not kept",
};

/** What should storefronts say of this title from now on? Kept as a draft while one types. */
export function EditListingPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const { data: found } = useTitle(title);
  const hand = useListingDraft(title);
  const listing = useListing(title);
  const rules = useRules();
  const check = useCheck(title, true, hand.draft?.version ?? 0);
  if (!hand.draft) return hand.asked.error ? <Failure error={hand.asked.error} retry={() => void hand.reload()} /> : <Loading rows={14} />;
  const part = search.get("part") ?? "texts";
  const names = check.data?.storefronts.map((s) => s.name) ?? [];
  const review = async () => {
    await hand.keep();
    void navigate(`/titles/${title}/listing/review`);
  };
  return (
    <>
      <PageHead
        title={`Draft of the listing of ${found?.name ?? title}`}
        aside={
          <>
            <span className="kept" role="status">
              {WORDS[hand.status]}
              {hand.status === "kept" && hand.draft.saved_at && (
                <>
                  , <When at={hand.draft.saved_at} />
                </>
              )}
            </span>
            <Button size="xs" variant="default" component={Link} to={`/titles/${title}/listing/preview?draft=true`}>
              Preview
            </Button>
            <DropDraft title={title} version={hand.draft.version} forget={hand.forget} />
            <Button size="xs" variant="filled" disabled={hand.draft.same && hand.status !== "typing"} onClick={() => void review()}>
              Review
            </Button>
          </>
        }
      >
        From state {hand.draft.base}. Nothing changes for anybody until you have reviewed and saved it.
      </PageHead>
      <Banners hand={hand} title={title} source={listing.data?.source ?? ""} />
      <div className="editing">
        <section className="panel">
          <Tabs
            value={part}
            onChange={(v) => setSearch((now) => altered(now, { part: v ?? "texts" }), { replace: true })}
            keepMounted={false}
          >
            <Tabs.List>
              {Object.entries(PARTS).map(([value, label]) => (
                <Tabs.Tab key={value} value={value}>
                  {label}
                </Tabs.Tab>
              ))}
            </Tabs.List>
            <Answer of={rules} rows={8}>
              {(data) => (
                <>
                  <Tabs.Panel value="texts">
                    <TextsPart hand={hand} rules={data} storefronts={names} findings={check.data?.findings ?? []} />
                  </Tabs.Panel>
                  <Tabs.Panel value="facts">
                    <FactsPart hand={hand} rules={data} storefronts={names} />
                  </Tabs.Panel>
                  <Tabs.Panel value="pictures">
                    <PicturesPart title={title} hand={hand} rules={data} storefronts={names} />
                  </Tabs.Panel>
                  <Tabs.Panel value="rating">
                    <RatingPart hand={hand} rules={data} />
                  </Tabs.Panel>
                </>
              )}
            </Answer>
          </Tabs>
        </section>
        <aside>
          <Panel title="Findings of the draft" aside={String(check.data?.findings.length ?? "")}>
            <Answer of={check} rows={6}>
              {(data) =>
                data.findings.length ? (
                  <ListingFindings
                    title={title}
                    findings={data.findings}
                    names={Object.fromEntries(data.storefronts.map((s) => [s.name, s.title]))}
                    fix={(all) => {
                      for (const f of all) for (const e of f.fix) hand.set(e.file, e.path ?? [], e.value);
                    }}
                  />
                ) : (
                  <span className="dim">None.</span>
                )
              }
            </Answer>
          </Panel>
        </aside>
      </div>
    </>
  );
}

/** Who else writes, what happened meanwhile, and what could not be kept. What was typed stays on the page. */
function Banners({ hand, title, source }: { hand: DraftInHand; title: string; source: string }) {
  const moved = hand.newest !== undefined && hand.newest !== hand.draft!.base;
  return (
    <>
      {source && (
        <div className="banner" role="note">
          <span>
            The listing lives in {source}, beside the profile document: change it there. A draft here can be looked at, and not saved.
          </span>
        </div>
      )}
      {hand.others.length > 0 && (
        <div className="banner" role="note">
          <span>
            {hand.others.map((o, i) => (
              <span key={o.person}>
                {i > 0 && ", "}
                <b>{o.person}</b> has a draft too, kept <When at={o.saved_at} />
              </span>
            ))}
            . Whoever is second sees both changes before anything is saved.
          </span>
        </div>
      )}
      {moved && (
        <div className="banner" role="alert">
          <span>
            State {hand.newest} was saved meanwhile. <Link to={`/titles/${title}/listing/review`}>See both changes</Link>, and take them
            together.
          </span>
        </div>
      )}
      {(hand.status === "elsewhere" || hand.status === "failed") && <Failure error={hand.error} retry={() => void hand.reload()} />}
    </>
  );
}
