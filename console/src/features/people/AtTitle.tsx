import { Select } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { Answer, Failure, Panel, When } from "../../ui/parts";

type People = Schemas["TitlePeople"];
type PersonHere = People["items"][number];

const AS_IN_STUDIO = "as-in-studio";
const CHOICES = [
  { value: AS_IN_STUDIO, label: "as in the studio" },
  { value: "owner", label: "owner here" },
  { value: "engineer", label: "engineer here" },
  { value: "viewer", label: "viewer here" },
];

/** Who may do what at one title? */
export function AtTitle({ title, name }: { title: string; name: string }) {
  const people = useQuery({ queryKey: ["title-people", title], queryFn: () => call<People>(`/titles/${title}/people`) });
  return (
    <Panel title={`At ${name}`} aside="what counts for everything of this title; keys, agents and variables go by the studio" flush>
      <Answer of={people} rows={4}>
        {(data) => (
          <table className="rows">
            <thead>
              <tr>
                <th>Name</th>
                <th className="wide">Address</th>
                <th className="wide">In the studio</th>
                <th>Here</th>
                <th className="wide">Given by</th>
              </tr>
            </thead>
            <tbody>
              {data.items.map((p) => (
                <Row key={p.id} title={title} person={p} may={Boolean(data.allowed_actions[0]?.possible)} />
              ))}
            </tbody>
          </table>
        )}
      </Answer>
    </Panel>
  );
}

function Row({ title, person, may }: { title: string; person: PersonHere; may: boolean }) {
  const queries = useQueryClient();
  const change = useMutation({
    mutationFn: (role: string) =>
      role === AS_IN_STUDIO
        ? call<People>(`/titles/${title}/people/${person.id}`, { method: "DELETE" })
        : call<People>(`/titles/${title}/people/${person.id}`, { method: "PUT", body: { role } }),
    onSuccess: (found) => {
      queries.setQueryData(["title-people", title], found);
      return queries.invalidateQueries({ queryKey: ["session"] });
    },
  });
  return (
    <tr>
      <td>
        <b>{person.name}</b>
      </td>
      <td className="wide path">{person.email}</td>
      <td className="wide">{person.in_studio}</td>
      <td>
        {may && !person.everywhere ? (
          <Select
            size="xs"
            w={170}
            aria-label={`What ${person.name} is here`}
            data={CHOICES}
            value={person.own ? person.here : AS_IN_STUDIO}
            allowDeselect={false}
            disabled={change.isPending}
            onChange={(v) => v && change.mutate(v)}
          />
        ) : (
          person.here
        )}
        {change.error && <Failure error={change.error} />}
      </td>
      <td className="wide">
        {person.own && person.given_at && (
          <>
            {person.given_by}, <When at={person.given_at} />
          </>
        )}
      </td>
    </tr>
  );
}
