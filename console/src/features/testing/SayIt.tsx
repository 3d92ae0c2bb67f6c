import { Button, Select, Textarea } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { Failure } from "../../ui/parts";
import { useSay } from "../feedback/queries";
import { AddPicture } from "./AddPicture";
import { platformHere, platformName } from "./here";
import { Pictures } from "./Pictures";
import { type InstallPage, useOwnDevices } from "./queries";
import "./testing.css";

/** A note to the studio, with pictures and what is known of the device. */
export function SayIt({ page }: { page: InstallPage }) {
  const [text, setText] = useState("");
  const [pictures, setPictures] = useState<string[]>([]);
  const [device, setDevice] = useState<string | null>(null);
  const devices = useOwnDevices();
  const say = useSay(page.title, page.channel, page.build.build);
  const mine = (devices.data?.items ?? []).filter((d) => d.title === page.title);
  const told = () =>
    say.mutate(
      { text, pictures, device_id: device, device: device ? "" : platformName(platformHere()) },
      {
        onSuccess: () => {
          setText("");
          setPictures([]);
        },
      },
    );
  return (
    <section className="card">
      <h2>Say something about it</h2>
      <Textarea
        aria-label="What you want to tell the studio"
        placeholder="What you did, what you saw, what you expected"
        mt="xs"
        autosize
        minRows={3}
        maxLength={8000}
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
      />
      {mine.length > 0 && (
        <Select
          label="Seen on"
          mt="sm"
          clearable
          clearButtonProps={{ "aria-label": "None of these" }}
          placeholder="none of your registered devices"
          data={mine.map((d) => ({ value: d.id, label: `${d.name}, ${d.platform_title} ${d.level}`.trim() }))}
          value={device}
          onChange={setDevice}
        />
      )}
      <Pictures ids={pictures} remove={(id) => setPictures(pictures.filter((p) => p !== id))} />
      <AddPicture
        at={[page.title, page.channel, String(page.build.build)]}
        count={pictures.length}
        add={(id) => setPictures((now) => [...now, id])}
      />
      {say.error && <Failure error={say.error} />}
      {say.isSuccess && !text && (
        <p>
          The studio has it. What comes of it stands in <Link to="/testing/feedback">your feedback</Link>, and you get it by mail.
        </p>
      )}
      <Button className="big" variant="default" fullWidth disabled={!text.trim()} loading={say.isPending} onClick={told}>
        Tell the studio
      </Button>
    </section>
  );
}
