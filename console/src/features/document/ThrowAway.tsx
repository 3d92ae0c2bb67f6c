import { Button, Group, Modal } from "@mantine/core";
import { useState } from "react";
import { useNavigate } from "react-router";

import { plural } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { useDropDraft } from "./queries";

interface Props {
  title: string;
  text: string;
  newest: string;
  disabled: boolean;
  done: () => void;
}

/** Says what is lost before it is. */
export function ThrowAway({ title, text, newest, disabled, done }: Props) {
  const [asking, ask] = useState(false);
  const drop = useDropDraft(title);
  const navigate = useNavigate();
  const known = new Set(newest.split("\n"));
  const own = text.split("\n").filter((line) => !known.has(line)).length;
  const away = () =>
    drop.mutateAsync().then(
      () => {
        done();
        void navigate(`/titles/${title}/document`);
      },
      () => undefined,
    );
  return (
    <>
      <Button size="xs" variant="default" onClick={() => ask(true)} disabled={disabled}>
        Throw the draft away
      </Button>
      <Modal opened={asking} onClose={() => ask(false)} title={<b>Throw the draft away</b>}>
        {own
          ? `${plural(own, "line")} of it ${own === 1 ? "is" : "are"} not in the newest revision, and will be gone.`
          : "It only leaves out lines of the newest revision."}{" "}
        Revisions stay as they are.
        {drop.error && <Failure error={drop.error} />}
        <Group justify="flex-end" gap="sm" mt="md">
          <Button variant="default" onClick={() => ask(false)}>
            Keep it
          </Button>
          <Button variant="filled" color="rust" className="danger" loading={drop.isPending} onClick={() => void away()}>
            Throw it away
          </Button>
        </Group>
      </Modal>
    </>
  );
}
