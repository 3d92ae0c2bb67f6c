import { Button, FileButton } from "@mantine/core";
import { IconCamera } from "@tabler/icons-react";

import { Failure } from "../../ui/parts";
import { useSendPicture } from "./signOffs";

/** The service's limit for one point or one note. */
const MOST = 6;

interface Props {
  /** Where the build can be tested: title, channel, build. */
  at: [string, string, string];
  /** Pictures that are there already. */
  count: number;
  add: (id: string) => void;
  label?: string;
}

/** Sends a picture from the camera or a file, and hands its number on. */
export function AddPicture({ at, count, add, label = "Add a picture" }: Props) {
  const send = useSendPicture(...at);
  return (
    <>
      {send.error && <Failure error={send.error} />}
      <FileButton accept="image/*" onChange={(file) => file && send.mutate(file, { onSuccess: (made) => add(made.id) })}>
        {(props) => (
          <Button
            {...props}
            mt="sm"
            variant="subtle"
            leftSection={<IconCamera size={18} />}
            loading={send.isPending}
            disabled={count >= MOST}
          >
            {label}
          </Button>
        )}
      </FileButton>
    </>
  );
}
