import { Select } from "@mantine/core";

import { Failure } from "../../ui/parts";
import { type Screen, type ScreenSet, useScreenSettings } from "./queries";
import "./screens.css";

const DAY = 86_400;
const HABITS: { value: ScreenSet["habit"]; label: string }[] = [
  { value: "by-itself", label: "by itself" },
  { value: "at-a-look", label: "when one says so" },
  { value: "after-restart", label: "after a restart" },
];
const NETWORKS: { value: ScreenSet["network"]; label: string }[] = [
  { value: "good", label: "good" },
  { value: "slow", label: "slow, 2 Mbit/s" },
  { value: "failing", label: "failing" },
  { value: "gone", label: "none" },
];
const ROOMS = [
  { value: "", label: "as on this machine" },
  { value: "20000000", label: "20 MB free" },
  { value: "100000", label: "full" },
];
const CLOCKS = [
  { value: "0", label: "right" },
  { value: String(-3 * DAY), label: "3 days behind" },
  { value: String(3 * DAY), label: "3 days ahead" },
  { value: String(-56 * 365 * DAY), label: "in 1970" },
];

/** Where the device stands: when it installs, and what is wrong with its surroundings. */
export function Standing({ screen }: { screen: Screen }) {
  const save = useScreenSettings(screen.device);
  const now: ScreenSet = { habit: screen.habit, network: screen.network, room: screen.room, clock: screen.clock };
  const set = (change: Partial<ScreenSet>) => save.mutate({ ...now, ...change });
  const common = { size: "xs" as const, allowDeselect: false };
  return (
    <>
      {save.error && <Failure error={save.error} />}
      <div className="standing">
        <Select
          {...common}
          label="Updates"
          data={HABITS}
          value={screen.habit}
          onChange={(v) => v && set({ habit: v as ScreenSet["habit"] })}
        />
        <Select
          {...common}
          label="Network"
          data={NETWORKS}
          value={screen.network}
          onChange={(v) => v && set({ network: v as ScreenSet["network"] })}
        />
        <Select
          {...common}
          label="Disk"
          data={ROOMS}
          value={screen.room === null ? "" : String(screen.room)}
          onChange={(v) => set({ room: v ? Number(v) : null })}
        />
        <Select {...common} label="Clock" data={CLOCKS} value={String(screen.clock)} onChange={(v) => v && set({ clock: Number(v) })} />
      </div>
    </>
  );
}
