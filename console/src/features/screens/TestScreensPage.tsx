import { useTesting } from "../testing/queries";
import { Machines } from "./Machines";

/** The same on a tester's pages: for the channels that they were given. */
export function TestScreensPage() {
  const testing = useTesting();
  const choices = (testing.data?.titles ?? []).flatMap((t) =>
    t.channels.map((c) => ({ title: t.title, channel: c.channel, label: `${c.channel} of ${t.name}` })),
  );
  return (
    <>
      <h1>Simulated devices</h1>
      <p className="dim" style={{ marginTop: 0 }}>
        To try a build without a device of your own. They install for real; the machine is made up.
      </p>
      <Machines choices={choices} />
    </>
  );
}
