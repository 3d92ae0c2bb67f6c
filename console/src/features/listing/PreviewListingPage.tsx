import "./listing.css";

import { Select, Switch } from "@mantine/core";
import { Link, useParams, useSearchParams } from "react-router";

import { Answer, PageHead } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useTitle } from "../titles/queries";
import { useCheck, useShown } from "./queries";
import { StorefrontView } from "./StorefrontView";
import { spoken } from "./TextsPart";

/** What would a player see there, in their language, on their device? */
export function PreviewListingPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const [search, setSearch] = useSearchParams();
  const draft = search.get("draft") === "true";
  const check = useCheck(title, draft);
  const storefronts = check.data?.storefronts ?? [];
  const at = storefronts.find((s) => s.name === search.get("storefront")) ?? storefronts[0];
  const language = search.get("language") ?? check.data?.languages[0] ?? "";
  const form = at?.forms.find((f) => f === search.get("form")) ?? at?.forms[0] ?? "";
  const shown = useShown(title, at?.name ?? "", language, form, draft);
  const choose = (name: string) => (value: string | null) => setSearch((now) => altered(now, { [name]: value }), { replace: true });
  return (
    <>
      <PageHead
        title={`${found?.name ?? title} as ${at?.title ?? "a storefront"} shows it`}
        aside={<Link to={`/titles/${title}/listing`}>To the listing</Link>}
      >
        The storefront is simulated: its looks, words and sizes are made up.
      </PageHead>
      <div className="filters">
        <Select
          size="xs"
          w={150}
          label="Storefront"
          allowDeselect={false}
          value={at?.name ?? null}
          data={storefronts.map((s) => ({ value: s.name, label: s.title }))}
          onChange={choose("storefront")}
        />
        <Select
          size="xs"
          w={190}
          label="Player's language"
          searchable
          allowDeselect={false}
          value={language || null}
          data={(check.data?.languages ?? []).map((l) => ({ value: l, label: spoken(l) }))}
          onChange={choose("language")}
        />
        <Select
          size="xs"
          w={130}
          label="Device"
          allowDeselect={false}
          value={form || null}
          data={at?.forms ?? []}
          onChange={choose("form")}
        />
        <Switch
          size="sm"
          label="My draft"
          checked={draft}
          onChange={(e) => choose("draft")(e.currentTarget.checked ? "true" : null)}
          style={{ alignSelf: "end", paddingBottom: 5 }}
        />
      </div>
      <Answer of={shown} rows={12}>
        {(data) => <StorefrontView shown={data} />}
      </Answer>
    </>
  );
}
