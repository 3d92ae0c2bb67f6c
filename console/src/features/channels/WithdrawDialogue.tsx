import { Button, Group, Modal } from "@mantine/core";

import { plural } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { type Placement, useWithdraw } from "./queries";

/** Says what withdrawing does, then does it. */
export function WithdrawDialogue({ title, placement, close }: { title: string; placement: Placement; close: () => void }) {
  const withdraw = useWithdraw(title, placement.channel);
  const send = () => withdraw.mutate(placement.number, { onSuccess: close });
  return (
    <Modal
      opened
      onClose={close}
      title={<b>{`Withdraw #${placement.build.number} from ${placement.channel}`}</b>}
      closeButtonProps={{ "aria-label": "Close" }}
      attributes={{ header: { role: "presentation" } }}
    >
      <p style={{ marginTop: 0 }}>
        {placement.devices === 0 ? "No device has it." : `${plural(placement.devices, "device keeps", "devices keep")} it as installed.`}{" "}
        Nothing is live for this platform then, until another build with a higher version code is placed.
      </p>
      {withdraw.error && <Failure error={withdraw.error} retry={send} />}
      <Group justify="flex-end" gap="sm">
        <Button variant="default" onClick={close}>
          Leave it live
        </Button>
        <Button className="danger" color="rust.7" onClick={send} loading={withdraw.isPending}>
          Withdraw from {placement.channel}
        </Button>
      </Group>
    </Modal>
  );
}
