import "./listing.css";

import { Button, Stack, Tabs } from "@mantine/core";
import { Link, useParams, useSearchParams } from "react-router";
import { Choose, useFilters } from "../../ui/filters";
import { plural } from "../../ui/format";
import { Answer, Command, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useTitle } from "../titles/queries";
import { LinksPanel } from "./LinksPanel";
import { ListingFindings } from "./ListingFindings";
import { type Check, type Listing, useCheck, useDraftOf, useFix, useListing } from "./queries";
import { RatingPanel } from "./RatingPanel";
import { Standings } from "./Standings";
import { StatesPanel } from "./StatesPanel";

const VIEWS = { standing: "Standing", rating: "Age rating", links: "Links", history: "History" };

/** How does this title stand on each storefront, and what is to mend? */
export function ListingPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const [search, setSearch] = useSearchParams();
  const listing = useListing(title);
  const view = search.get("view") ?? "standing";
  return (
    <>
      <PageHead title={`Listing of ${found?.name ?? title}`} aside={<Acts title={title} listing={listing.data} />}>
        <Subtitle listing={listing.data} />
      </PageHead>
      <Answer of={listing} rows={10}>
        {(data) =>
          data.number === 0 ? (
            <section className="panel">
              <Empty command="bin/rampa listing import FOLDER">
                Nothing is said of this title yet. <Link to={`/titles/${title}/listing/edit`}>Begin its listing</Link>, or import a folder.
              </Empty>
            </section>
          ) : (
            <Tabs
              value={view}
              onChange={(v) => setSearch((now) => altered(now, { view: v ?? "standing", state: null, against: null }), { replace: true })}
              keepMounted={false}
            >
              <Tabs.List mb="md">
                {Object.entries(VIEWS).map(([value, label]) => (
                  <Tabs.Tab key={value} value={value}>
                    {label}
                  </Tabs.Tab>
                ))}
              </Tabs.List>
              <Tabs.Panel value="standing">
                <Standing title={title} />
              </Tabs.Panel>
              <Tabs.Panel value="rating">
                <RatingPanel title={title} />
              </Tabs.Panel>
              <Tabs.Panel value="links">
                <LinksPanel title={title} />
              </Tabs.Panel>
              <Tabs.Panel value="history">
                <StatesPanel title={title} />
              </Tabs.Panel>
            </Tabs>
          )
        }
      </Answer>
    </>
  );
}

function Subtitle({ listing }: { listing: Listing | undefined }) {
  if (!listing?.number) return "One for every storefront, with a part for each where it says otherwise.";
  return (
    <>
      State {listing.number}, saved by {listing.created_by} {listing.created_at && <When at={listing.created_at} />}.
      {listing.source && ` It lives in ${listing.source}.`}
    </>
  );
}

function Acts({ title, listing }: { title: string; listing: Listing | undefined }) {
  const draft = useDraftOf(title);
  const mine = draft.data && draft.data.version > 0;
  return (
    <>
      <Command text="bin/rampa listing export FOLDER" />
      {mine && (
        <Button size="xs" variant="default" component={Link} to={`/titles/${title}/listing/review`}>
          Review my draft
        </Button>
      )}
      <Button size="xs" variant="filled" component={Link} to={`/titles/${title}/listing/edit`}>
        {mine ? "Go on with my draft" : listing?.number ? "Edit" : "Begin"}
      </Button>
    </>
  );
}

function Standing({ title }: { title: string }) {
  const check = useCheck(title);
  return (
    <Stack gap="md">
      <Panel title="Storefronts" aside="every figure of theirs is made up" flush>
        <Answer of={check} rows={4}>
          {(data) =>
            data.storefronts.length ? (
              <Standings title={title} check={data} />
            ) : (
              <Empty>No profile of this title is for a storefront: say one in the profile document.</Empty>
            )
          }
        </Answer>
      </Panel>
      <Answer of={check} rows={6}>
        {(data) => <Found title={title} check={data} />}
      </Answer>
    </Stack>
  );
}

/** All findings, or those of one storefront; what is of all is shown with each. */
function Found({ title, check }: { title: string; check: Check }) {
  const fix = useFix(title);
  const filters = useFilters(true);
  const chosen = filters.get("storefront");
  const severity = filters.get("severity");
  const findings = check.findings.filter(
    (f) => (!chosen || !f.storefront || f.storefront === chosen) && (!severity || f.severity === severity),
  );
  const names = Object.fromEntries(check.storefronts.map((s) => [s.name, s.title]));
  return (
    <Panel title="Findings" aside={counts(check)}>
      {fix.error && <Failure error={fix.error} />}
      {check.findings.length > 6 && (
        <div className="filters">
          <Choose
            of={filters}
            name="storefront"
            label="Storefront"
            every="Every storefront"
            w={170}
            data={check.storefronts.map((s) => ({ value: s.name, label: s.title }))}
          />
          <Choose of={filters} name="severity" label="Severity" every="Every severity" w={150} data={["blocker", "warning", "note"]} />
        </div>
      )}
      {findings.length ? (
        <ListingFindings title={title} findings={findings} names={names} fix={(some) => fix.mutate(some)} fixing={fix.isPending} />
      ) : (
        <span className="dim">{check.findings.length ? "None of these." : "None: it is whole for every storefront."}</span>
      )}
    </Panel>
  );
}

function counts(check: Check): string {
  const of = (severity: string) => check.findings.filter((f) => f.severity === severity).length;
  return [plural(of("blocker"), "blocker"), plural(of("warning"), "warning"), plural(of("note"), "note")].join(", ");
}
