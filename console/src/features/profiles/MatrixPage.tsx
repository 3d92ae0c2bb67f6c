import { SegmentedControl, TextInput } from "@mantine/core";
import { Link, useParams } from "react-router";

import { Choose, useFilters } from "../../ui/filters";
import { plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { MatrixTable } from "./MatrixTable";
import { OfRevision } from "./parts";
import { type Matrix, type Row, useMatrix } from "./queries";
import "./matrix.css";

export type Show = "all" | "differing" | "findings";

/** How is each platform set up, and where does one differ from the others? */
export function MatrixPage() {
  const { title = "" } = useParams();
  const filters = useFilters(true);
  const { data: found } = useTitle(title);
  const matrix = useMatrix(title, filters.get("revision"));
  const show = (filters.get("show") ?? "differing") as Show;
  const group = filters.get("group") ?? "";
  const word = filters.get("word") ?? "";
  return (
    <>
      <PageHead title={`Profiles of ${found?.name ?? title}`} aside={<Link to={`/titles/${title}/compare`}>Compare two</Link>}>
        {matrix.data && (
          <>
            {plural(matrix.data.columns.length, "profile")}, <OfRevision revision={matrix.data.revision} newest={found?.revision} />
          </>
        )}
      </PageHead>
      <div className="filters">
        <SegmentedControl
          size="xs"
          aria-label="Which settings"
          value={show}
          onChange={(v) => filters.set("show", v)}
          data={[
            { value: "differing", label: "Differing" },
            { value: "findings", label: "With findings" },
            { value: "all", label: "All settings" },
          ]}
        />
        <Choose
          of={filters}
          name="group"
          label="Group"
          every="Every group"
          data={(matrix.data?.groups ?? []).map((g) => ({ value: g.name, label: g.label }))}
        />
        <TextInput
          size="xs"
          aria-label="Search settings"
          placeholder="Search settings"
          value={word}
          onChange={(e) => filters.set("word", e.currentTarget.value)}
        />
      </div>
      <Panel title="Settings × profiles" aside={<Legend />} flush>
        <Answer of={matrix} rows={14}>
          {(data) => {
            const rows = chosen(data, show, group, word);
            return rows.length ? (
              <MatrixTable matrix={data} rows={rows} title={title} />
            ) : (
              <Empty command="bin/rampa profile matrix">
                {show === "findings" ? "The checks found nothing in these settings." : "No setting fits these filters."}
              </Empty>
            );
          }}
        </Answer>
      </Panel>
    </>
  );
}

function chosen(matrix: Matrix, show: Show, group: string, word: string): Row[] {
  const broken = new Set(matrix.findings.map((f) => f.key));
  const wanted = word.toLowerCase();
  return matrix.rows.filter(
    (row) =>
      (!group || row.group === group) &&
      (!wanted || `${row.key} ${row.label}`.toLowerCase().includes(wanted)) &&
      (show === "all" || (show === "differing" ? row.differs : broken.has(row.key))),
  );
}

function Legend() {
  return (
    <span className="legend">
      <span className="swatch rare" /> less usual <span className="swatch odd" /> ◆ odd one out{" "}
      <span className="wide">· arrow keys walk the cells</span>
    </span>
  );
}
