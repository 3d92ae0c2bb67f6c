import { Button, Select } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { Search, useFilters } from "../../ui/filters";
import { plural } from "../../ui/format";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, Panel, When } from "../../ui/parts";
import { type Tester, useChange, useGroups, useTesters } from "./queries";

export function People({ title }: { title: string }) {
  const filters = useFilters();
  const testers = useTesters(title, { ...filters.asked, limit: "25" });
  const groups = useGroups(title);
  const [leaving, setLeaving] = useState<Tester>();
  const names = groups.data?.items.map((g) => g.name) ?? [];
  return (
    <>
      <div className="filters">
        <Search of={filters} label="Search names and addresses" w={230} />
        <Select
          aria-label="Group"
          placeholder="Every group"
          size="xs"
          clearable
          clearButtonProps={{ "aria-label": "Every group" }}
          w={180}
          data={names}
          value={filters.get("group")}
          onChange={(v) => filters.set("group", v)}
        />
      </div>
      <Panel title="People" flush>
        <Answer of={testers} rows={6}>
          {(page) =>
            page.items.length ? (
              <>
                <Rows title={title} testers={page.items} withdraw={setLeaving} />
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            ) : Object.keys(filters.asked).length ? (
              <Empty>Nobody is like that.</Empty>
            ) : names.length ? (
              <Empty command={`bin/rampa tester invite --title ${title} --group ${names[0]} --file people.csv`}>
                Nobody tests it yet. <Link to={`/titles/${title}/testers/invite`}>Invite testers</Link>: paste a list, or the CSV that you
                have.
              </Empty>
            ) : (
              <Empty command={`bin/rampa group add night-crew --title ${title}`}>
                Nobody tests it yet. Begin with <Link to={`/titles/${title}/testers/groups`}>a group</Link>, and give it a channel.
              </Empty>
            )
          }
        </Answer>
      </Panel>
      {leaving && <WithdrawTester title={title} tester={leaving} close={() => setLeaving(undefined)} />}
    </>
  );
}

function Rows({ title, testers, withdraw }: { title: string; testers: Tester[]; withdraw: (t: Tester) => void }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Name</th>
          <th className="wide">Address</th>
          <th>Groups</th>
          <th>May install from</th>
          <th className="number wide">Devices</th>
          <th className="wide">Last seen</th>
          <th className="number">Act</th>
        </tr>
      </thead>
      <tbody>
        {testers.map((t) => (
          <tr key={t.id}>
            <td>
              <b>{t.name}</b> {t.role !== "tester" && <span className="dim">{t.role}</span>}
            </td>
            <td className="wide path">{t.email}</td>
            <td>{t.groups.join(", ") || <span className="dim">none</span>}</td>
            <td>
              {t.channels.length
                ? t.channels.map((c, i) => (
                    <span key={c}>
                      {i > 0 && ", "}
                      <Link to={`/titles/${title}/channels/${c}`}>{c}</Link>
                    </span>
                  ))
                : "nothing now"}
            </td>
            <td className="number wide">{t.devices}</td>
            <td className="wide tight">{t.last_seen_at ? <When at={t.last_seen_at} /> : <span className="dim">never</span>}</td>
            <td className="number">
              <Button size="compact-xs" variant="default" onClick={() => withdraw(t)} aria-label={`Withdraw … ${t.name}`}>
                Withdraw …
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function WithdrawTester({ title, tester, close }: { title: string; tester: Tester; close: () => void }) {
  const withdraw = useChange(title, () => call<void>(`/titles/${title}/testers/${tester.id}/withdraw`, { method: "POST" }));
  return (
    <Confirm
      title={`Withdraw ${tester.name}`}
      keep="Let them test"
      act={`Withdraw ${tester.name}`}
      error={withdraw.error}
      pending={withdraw.isPending}
      confirm={() => withdraw.mutate(undefined, { onSuccess: close })}
      close={close}
    >
      {tester.email} leaves {plural(tester.groups.length, "group")} and loses every channel of this title at once;{" "}
      {plural(tester.devices, "device is", "devices are")} taken out, and an open invitation is withdrawn. Who tests nothing else is signed
      out. What is installed stays on their machines.
    </Confirm>
  );
}
