import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { Treemap } from "./Treemap";
import "./content.css";

type Content = Schemas["ContentFolder"];

/** What goes in, what stays out, and what takes the space? Folder by folder, so that a million files are no burden. */
export function ContentPage() {
  const { title = "", build = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const folder = search.get("folder") ?? "";
  const found = useQuery({
    queryKey: ["content", title, build, folder],
    queryFn: () => call<Content>(`/titles/${title}/builds/${build}/content?folder=${encodeURIComponent(folder)}`),
    placeholderData: (before) => before,
  });
  const open = (path: string) => setSearch(path ? { folder: path } : {});
  const inside = (name: string) => (folder ? `${folder}/${name}` : name);
  return (
    <>
      <PageHead title={`Content of #${build}`} aside={<Link to={`/titles/${title}/builds/${build}`}>Back to the build</Link>}>
        <Trail folder={folder} open={open} />
      </PageHead>
      <Answer of={found} rows={12}>
        {(c) => (
          <>
            <p style={{ marginTop: 0 }}>
              {plural(c.files, "file")}, {bytes(c.size)} go in
              {c.out_files > 0 && (
                <span className="dim">
                  {" "}
                  · {plural(c.out_files, "file")}, {bytes(c.out_size)} stay out
                </span>
              )}
            </p>
            <Treemap pieces={c.map} open={(name) => open(inside(name))} />
            <div style={{ marginTop: 16 }}>
              <Panel title="In this folder" flush>
                <Listing c={c} open={(name) => open(inside(name))} />
              </Panel>
            </div>
          </>
        )}
      </Answer>
    </>
  );
}

function Trail({ folder, open }: { folder: string; open: (path: string) => void }) {
  const parts = folder ? folder.split("/") : [];
  return (
    <nav aria-label="Folder" style={{ display: "flex", gap: 6, flexWrap: "wrap" }}>
      <button type="button" className="link" onClick={() => open("")}>
        all of it
      </button>
      {parts.map((name, i) => (
        <span key={i}>
          <span aria-hidden>/ </span>
          <button type="button" className="link" onClick={() => open(parts.slice(0, i + 1).join("/"))}>
            {name}
          </button>
        </span>
      ))}
    </nav>
  );
}

function Listing({ c, open }: { c: Content; open: (name: string) => void }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Name</th>
          <th className="number">Goes in</th>
          <th className="number">Stays out</th>
          <th>Why</th>
        </tr>
      </thead>
      <tbody>
        {c.folders.map((f) => (
          <tr key={`${f.name}/`}>
            <td>
              <button type="button" className="link" onClick={() => open(f.name)}>
                {f.name}/
              </button>
            </td>
            <td className="number">{f.files ? bytes(f.size) : "–"}</td>
            <td className="number">{f.out_files ? bytes(f.out_size) : "–"}</td>
            <td className="dim">
              {plural(f.files, "file")} in{f.out_files ? `, ${f.out_files.toLocaleString("en")} out` : ""}
            </td>
          </tr>
        ))}
        {c.rows.map((r) => (
          <tr key={r.name}>
            <td style={{ overflowWrap: "anywhere" }}>{r.name}</td>
            <td className="number">{r.inside ? bytes(r.size) : "–"}</td>
            <td className="number">{r.inside ? "–" : bytes(r.size)}</td>
            <td className="dim">{r.inside ? r.why : `${r.why}${r.origin ? ` (${r.origin})` : ""}`}</td>
          </tr>
        ))}
        {c.folders_left + c.rows_left > 0 && (
          <tr>
            <td colSpan={4} className="dim">
              and {(c.folders_left + c.rows_left).toLocaleString("en")} smaller ones
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
