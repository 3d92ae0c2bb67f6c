import { Link } from "react-router";
import { plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useTitles } from "./queries";

/** Which titles are there? */
export function TitlesPage() {
  const titles = useTitles();
  return (
    <>
      <PageHead title="Titles" aside={<Link to="/propose">Begin one</Link>} />
      <Panel title="All titles" aside={titles.data && plural(titles.data.items.length, "title")} flush>
        <Answer of={titles} rows={3}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa title import FOLDER">
                There is no title yet. A title begins with its profile document, rampa.toml; import the folder that holds it.
              </Empty>
            ) : (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Title</th>
                    <th className="wide">Identifier</th>
                    <th>Version</th>
                    <th>Platforms</th>
                    <th className="number wide">Revision</th>
                  </tr>
                </thead>
                <tbody>
                  {items.map((t) => (
                    <tr key={t.slug}>
                      <td>
                        <Link to={`/titles/${t.slug}`} style={{ fontWeight: 600 }}>
                          {t.name}
                        </Link>
                      </td>
                      <td className="wide mono">{t.identifier}</td>
                      <td className="tight">{t.version_name}</td>
                      <td>{[...new Set(t.profiles.map((p) => p.platform_title))].join(", ")}</td>
                      <td className="number wide">{t.revision}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}
