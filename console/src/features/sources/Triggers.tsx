import { Button, Group, Modal, MultiSelect, SegmentedControl, Select, TextInput } from "@mantine/core";
import { useState } from "react";

import { Answer, Command, Empty, Failure, When } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { useTitle } from "../titles/queries";
import { Matches } from "./Matches";
import { type Trigger, useTriggerActs, useTriggers } from "./queries";

/** What starts runs by itself, and what it said last. */
export function Triggers({ title }: { title: string }) {
  const triggers = useTriggers(title);
  const acts = useTriggerActs(title);
  const [adding, add] = useState(false);
  const [made, setMade] = useState<Trigger | null>(null);
  const [removing, remove] = useState<string | null>(null);
  return (
    <>
      <Group p="sm">
        <Button size="compact-sm" onClick={() => add(true)}>
          Add a trigger …
        </Button>
        {(acts.change.error ?? acts.remove.error) && <Failure error={acts.change.error ?? acts.remove.error} />}
      </Group>
      <Answer of={triggers} rows={3}>
        {({ items }) =>
          items.length === 0 ? (
            <Empty command={`bin/rampa trigger add NAME --branch main --title ${title}`}>
              Nothing starts by itself: every run is started by hand.
            </Empty>
          ) : (
            <table className="rows">
              <thead>
                <tr>
                  <th>Trigger</th>
                  <th>When</th>
                  <th className="wide">Only for paths</th>
                  <th className="wide">Profiles</th>
                  <th>Said last</th>
                  <td />
                </tr>
              </thead>
              <tbody>
                {items.map((t) => (
                  <tr key={t.name}>
                    <td>
                      <b>{t.name}</b>
                      {!t.active && <span className="dim"> off</span>}
                    </td>
                    <td>
                      {t.kind === "schedule" ? <span className="mono">{t.schedule}</span> : `${t.kind} ${t.pattern}`}
                      {t.next_at && (
                        <span className="dim"> next {new Date(t.next_at).toISOString().slice(0, 16).replace("T", " ")} UTC</span>
                      )}
                    </td>
                    <td className="wide">{t.paths!.join(", ") || <span className="dim">all</span>}</td>
                    <td className="wide">{t.profiles!.join(", ") || <span className="dim">the branch&apos;s own</span>}</td>
                    <td>
                      {t.last_said}{" "}
                      {t.last_at && (
                        <span className="dim">
                          <When at={t.last_at} />
                        </span>
                      )}
                    </td>
                    <td className="tight">
                      <Button
                        size="compact-xs"
                        variant="default"
                        onClick={() =>
                          acts.change.mutate({
                            name: t.name,
                            body: {
                              kind: t.kind,
                              pattern: t.pattern,
                              schedule: t.schedule,
                              paths: t.paths,
                              profiles: t.profiles,
                              place: t.place,
                              active: !t.active,
                            },
                          })
                        }
                      >
                        {t.active ? "Switch off" : "Switch on"}
                      </Button>{" "}
                      <Button size="compact-xs" variant="default" onClick={() => remove(t.name)}>
                        Remove …
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Answer>
      <Modal opened={adding} onClose={() => add(false)} title="Add a trigger" size="lg">
        <Form
          title={title}
          done={(t) => {
            add(false);
            if (t.secret) setMade(t);
          }}
        />
      </Modal>
      <Modal opened={made !== null} onClose={() => setMade(null)} title={`${made?.name} is there`} size="lg">
        <p style={{ marginTop: 0 }}>
          Call <span className="mono">POST {made?.call}</span>, signed with this secret. It is shown this once:
        </p>
        <Command text={made?.secret ?? ""} />
      </Modal>
      <Modal opened={removing !== null} onClose={() => remove(null)} title={`Remove ${removing}?`}>
        <p style={{ marginTop: 0 }}>It starts nothing any more. What it started stays.</p>
        <Button color="rust" className="danger" onClick={() => acts.remove.mutate(removing!, { onSettled: () => remove(null) })}>
          Remove the trigger
        </Button>
      </Modal>
    </>
  );
}

type Kind = "branch" | "tag" | "schedule" | "call";

function Form({ title, done }: { title: string; done: (made: Trigger) => void }) {
  const { add } = useTriggerActs(title);
  const { data: found } = useTitle(title);
  const [kind, setKind] = useState<Kind>("branch");
  const [name, setName] = useState("");
  const [pattern, setPattern] = useState("main");
  const [schedule, setSchedule] = useState("30 2 * * 1-5");
  const [paths, setPaths] = useState("");
  const [profiles, setProfiles] = useState<string[]>([]);
  const [place, setPlace] = useState("");
  const channels = useChannels(title);
  const send = () =>
    add.mutate(
      {
        name,
        kind,
        pattern,
        schedule: kind === "schedule" ? schedule : "",
        paths: paths.split(/[\s,]+/).filter(Boolean),
        profiles,
        place,
        active: true,
      },
      { onSuccess: done },
    );
  return (
    <form
      style={{ display: "grid", gap: 12 }}
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <SegmentedControl
        size="xs"
        value={kind}
        onChange={(v) => setKind(v as Kind)}
        data={[
          { value: "branch", label: "A branch moves" },
          { value: "tag", label: "A tag appears" },
          { value: "schedule", label: "At a time" },
          { value: "call", label: "A signed call" },
        ]}
      />
      <TextInput
        required
        label="Name"
        value={name}
        onChange={(e) => setName(e.currentTarget.value)}
        description="Lower-case letters, digits and hyphens."
      />
      {kind === "schedule" && (
        <TextInput
          required
          label="When"
          description="Minute, hour, day, month, weekday, as in crontab(5), UTC."
          value={schedule}
          onChange={(e) => setSchedule(e.currentTarget.value)}
        />
      )}
      <TextInput
        label={kind === "tag" ? "Tags" : kind === "schedule" ? "Branch" : "Branches"}
        value={pattern}
        onChange={(e) => setPattern(e.currentTarget.value)}
        description={kind === "schedule" ? undefined : "* stands for any characters."}
      />
      {kind !== "schedule" && <Matches title={title} kind={kind === "tag" ? "tag" : "branch"} pattern={pattern} />}
      {(kind === "branch" || kind === "tag") && (
        <TextInput
          label="Only when such paths changed"
          placeholder="all"
          value={paths}
          onChange={(e) => setPaths(e.currentTarget.value)}
          description="Patterns as in gitignore(5), separated by spaces."
        />
      )}
      <MultiSelect
        label="Profiles"
        placeholder={profiles.length ? undefined : "the branch's own"}
        data={found?.profiles.map((p) => p.name) ?? []}
        value={profiles}
        onChange={setProfiles}
      />
      <Select
        label="Finished builds go to"
        placeholder="as the branch or the profile says"
        clearable
        data={channels.data?.items.map((c) => c.name) ?? []}
        value={place || null}
        onChange={(v) => setPlace(v ?? "")}
      />
      {add.error && <Failure error={add.error} />}
      <Button type="submit" loading={add.isPending} disabled={!name} style={{ justifySelf: "start" }}>
        Add the trigger
      </Button>
    </form>
  );
}
