import { Button } from "@mantine/core";
import { Link } from "react-router";

import { bytes } from "../../ui/format";
import { Answer, Empty, Soon, When } from "../../ui/parts";
import { Asked } from "./Asked";
import { platformHere } from "./here";
import { type TestBuild, type TestTitle, useTesting } from "./queries";
import "./testing.css";

/** What can I install, and what am I asked to look at? */
export function TestingPage() {
  const testing = useTesting();
  return (
    <>
      <h1>To test</h1>
      <Answer of={testing} rows={6}>
        {({ titles }) =>
          titles.length ? (
            titles.map((title) => <Title key={title.title} title={title} />)
          ) : (
            <div className="card">
              <Empty>There is nothing for you to test now. When somebody gives you access to a channel, its builds stand here.</Empty>
            </div>
          )
        }
      </Answer>
    </>
  );
}

function Title({ title }: { title: TestTitle }) {
  return (
    <section style={{ marginTop: 14 }}>
      <h2>{title.name}</h2>
      {title.channels.map((channel) => (
        <div key={channel.channel}>
          <div className="dim" style={{ marginTop: 6 }}>
            {channel.channel}
            {channel.until && (
              <>
                {" · until "}
                <Soon at={channel.until} />
              </>
            )}
          </div>
          <Asked notes={shared(channel.builds)} />
          {channel.builds.length === 0 && <div className="card dim">Nothing is placed there yet.</div>}
          {sorted(channel.builds).map((build) => (
            <Build
              key={build.platform}
              title={title.title}
              channel={channel.channel}
              build={build}
              alone={shared(channel.builds).length === 0}
            />
          ))}
        </div>
      ))}
    </section>
  );
}

/** What is asked of every build alike, such as of those of one release: said once. */
function shared(builds: TestBuild[]): TestBuild["notes"] {
  const [first, ...others] = builds;
  if (!first) return [];
  return others.every((b) => JSON.stringify(b.notes) === JSON.stringify(first.notes)) ? first.notes : [];
}

/** What runs here comes first. */
function sorted(builds: TestBuild[]): TestBuild[] {
  const here = platformHere();
  return [...builds].sort((a, b) => Number(b.platform === here) - Number(a.platform === here));
}

function Build({ title, channel, build, alone }: { title: string; channel: string; build: TestBuild; alone: boolean }) {
  const here = build.platform === platformHere();
  return (
    <article className="card">
      <div className="first">
        <b>
          {build.version_name} for {build.platform_title}
        </b>
        <span className="dim">
          #{build.build}, placed <When at={build.placed_at} />
        </span>
      </div>
      {alone && <Asked notes={build.notes} />}
      <Button
        className="big"
        component={Link}
        to={`/install/${title}/${channel}/${build.build}`}
        variant={here ? "filled" : "default"}
        fullWidth
      >
        Install {build.version_name} for {build.platform_title}
        {build.size ? `, ${bytes(build.size)}` : ""}
      </Button>
    </article>
  );
}
