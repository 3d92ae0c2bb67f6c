import { Button, Group, Modal } from "@mantine/core";
import { useState } from "react";

import { Answer, Failure } from "../../ui/parts";
import { PlacePreview } from "./PlacePreview";
import { usePlace, usePreview, useSchedule } from "./queries";
import { momentBody, NOW, WhenToPlace } from "./WhenToPlace";
import { EVERY, extentBody, WhoGetsIt } from "./WhoGetsIt";

interface Props {
  title: string;
  channel: string;
  build: number;
  close: () => void;
}

/** What placing will do, in figures, before it is done. */
export function PlaceDialogue({ title, channel, build, close }: Props) {
  const preview = usePreview(title, channel, build);
  const place = usePlace(title, channel);
  const plan = useSchedule(title);
  const [extent, setExtent] = useState(EVERY);
  const [when, setWhen] = useState(NOW);
  const [key] = useState(() => crypto.randomUUID?.() ?? `place-${Date.now()}-${Math.random()}`);
  const seen = preview.data;
  // Gates that are closed now may be open then; what the checks found will not go away.
  const able = seen !== undefined && !seen.findings.some((f) => f.severity === "blocker");
  const then = able && !seen.possible && when.kind === "now" ? { ...when, kind: "open" as const } : when;
  const later = () => plan.mutate({ channel, build, at: momentBody(then), ...extentBody(extent) }, { onSuccess: close });
  const again = () => {
    place.reset();
    void preview.refetch();
  };
  return (
    <Modal opened onClose={close} size={860} title={<b>{`Place #${build} on ${channel}`}</b>}>
      <Answer of={preview} rows={8}>
        {(data) => <PlacePreview title={title} seen={data} />}
      </Answer>
      {able && <WhoGetsIt extent={extent} set={setExtent} />}
      {able && <WhenToPlace when={then} set={setWhen} closed={!seen?.possible} />}
      {plan.error && <Failure error={plan.error} />}
      {place.error && <Failure error={place.error} retry={again} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Do not place
        </Button>
        {then.kind !== "now" && able ? (
          <Button loading={plan.isPending} disabled={then.kind === "at" && !then.at} onClick={later}>
            {then.kind === "at" ? `Schedule it for ${channel}` : `Place on ${channel} when they open`}
          </Button>
        ) : null}
        <Button
          variant="filled"
          style={then.kind !== "now" && seen?.possible ? { display: "none" } : undefined}
          disabled={!seen?.possible || preview.isFetching}
          loading={place.isPending}
          onClick={() => seen && place.mutate({ seen, key, extent: extentBody(extent) }, { onSuccess: close })}
        >
          {seen && !seen.possible ? "Blocked" : `Place on ${channel}`}
        </Button>
      </Group>
    </Modal>
  );
}
