import { Button } from "@mantine/core";
import { useState } from "react";
import { useNavigate } from "react-router";

import { Confirm } from "../../ui/Confirm";
import { useDropListingDraft } from "./queries";

/** Throws one's draft away, after a question. */
export function DropDraft({ title, version, forget }: { title: string; version: number; forget: () => void }) {
  const [asking, ask] = useState(false);
  const drop = useDropListingDraft(title);
  const navigate = useNavigate();
  const done = () => {
    forget();
    void navigate(`/titles/${title}/listing`);
  };
  return (
    <>
      <Button size="xs" variant="default" disabled={version === 0} onClick={() => ask(true)}>
        Throw away
      </Button>
      {asking && (
        <Confirm
          title="Throw your draft away?"
          keep="Keep it"
          act="Throw it away"
          error={drop.error}
          pending={drop.isPending}
          confirm={() => drop.mutate(undefined, { onSuccess: done })}
          close={() => ask(false)}
        >
          What you changed since you began is lost. The saved listing stays as it is.
        </Confirm>
      )}
    </>
  );
}
