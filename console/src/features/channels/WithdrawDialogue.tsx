import { Confirm } from "../../ui/Confirm";
import { plural } from "../../ui/format";
import { type Placement, useWithdraw } from "./queries";

/** Says what withdrawing does, then does it. */
export function WithdrawDialogue({ title, placement, close }: { title: string; placement: Placement; close: () => void }) {
  const withdraw = useWithdraw(title, placement.channel);
  return (
    <Confirm
      title={`Withdraw #${placement.build.number} from ${placement.channel}`}
      keep="Leave it live"
      act={`Withdraw from ${placement.channel}`}
      error={withdraw.error}
      pending={withdraw.isPending}
      confirm={() => withdraw.mutate(placement.number, { onSuccess: close })}
      close={close}
    >
      {placement.devices === 0 ? "No device has it." : `${plural(placement.devices, "device keeps", "devices keep")} it as installed.`}{" "}
      Nothing is live for this platform then, until another build with a higher version code is placed.
    </Confirm>
  );
}
