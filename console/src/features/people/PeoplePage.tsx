import { useQuery } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { Answer, Command, PageHead, Panel, When } from "../../ui/parts";

const MAY: Record<string, string> = {
  owner: "everything, and people",
  engineer: "titles, keys, builds, placing",
  tester: "installs on devices, reads",
  viewer: "reads",
  agent: "makes builds",
};

/** Who is in the studio, and what may they do? */
export function PeoplePage() {
  const people = useQuery({ queryKey: ["people"], queryFn: () => call<Schemas["Page_Person_"]>("/people") });
  return (
    <>
      <PageHead title="People" aside={<Command text="bin/rampa person add ADDRESS --name NAME --role engineer" />} />
      <Panel title="Everybody of the studio" flush>
        <Answer of={people} rows={4}>
          {({ items }) => (
            <table className="rows">
              <thead>
                <tr>
                  <th>Name</th>
                  <th>Address</th>
                  <th>Role</th>
                  <th className="wide">May</th>
                  <th className="wide">Since</th>
                </tr>
              </thead>
              <tbody>
                {items.map((p) => (
                  <tr key={p.id}>
                    <td>
                      <b>{p.name}</b>
                    </td>
                    <td className="path">{p.email}</td>
                    <td>{p.role}</td>
                    <td className="wide dim">{MAY[p.role]}</td>
                    <td className="wide tight">
                      <When at={p.created_at} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </Answer>
      </Panel>
    </>
  );
}
