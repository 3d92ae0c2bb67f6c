import { Button, Group, Modal } from "@mantine/core";
import type { ReactNode } from "react";

import { Failure } from "./parts";

interface Props {
  title: string;
  /** What happens, in figures. */
  children: ReactNode;
  /** The button that leaves everything as it is. */
  keep: string;
  act: string;
  error: unknown;
  pending: boolean;
  confirm: () => void;
  close: () => void;
}

/** Says what an act does before it does it; the button repeats the verb. */
export function Confirm({ title, children, keep, act, error, pending, confirm, close }: Props) {
  return (
    <Modal opened onClose={close} title={<b>{title}</b>}>
      <p style={{ marginTop: 0 }}>{children}</p>
      {error ? <Failure error={error} /> : null}
      <Group justify="flex-end" gap="sm">
        <Button variant="default" onClick={close}>
          {keep}
        </Button>
        <Button className="danger" color="rust.7" loading={pending} onClick={confirm}>
          {act}
        </Button>
      </Group>
    </Modal>
  );
}
