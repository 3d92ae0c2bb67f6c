import { bytes, duration } from "../../ui/format";
import type { Screen } from "./queries";
import "./screens.css";

/** What stands on the screen of a simulated device. */
export function ScreenFace({ screen }: { screen: Screen }) {
  const crashed = screen.state === "crashed";
  return (
    <div className={`case ${screen.form}`}>
      <section className="face" aria-label={`Screen of ${screen.name}`}>
        <div className="bar">
          <span>simulated</span>
          {screen.network !== "good" && <span>network {screen.network}</span>}
        </div>
        <div className={crashed ? "inside crashed" : "inside"}>
          {screen.has_picture && screen.installed && (
            <img
              alt={`Drawn by ${screen.title_name}`}
              src={`/api/v1/testing/screens/${screen.device}/picture?of=${screen.installed.build}`}
            />
          )}
          <div className="sheet" aria-live="polite">
            <Said screen={screen} />
          </div>
        </div>
      </section>
    </div>
  );
}

function Said({ screen }: { screen: Screen }) {
  const { state, installed, found, progress, title_name: name } = screen;
  if (state === "installing")
    return (
      <>
        <b>{progress?.phase === "reuse" ? "Reusing what is there" : "Installing"}</b>
        {progress && progress.total > 0 && (
          <>
            <div className="track">
              <div style={{ width: `${(100 * progress.done) / progress.total}%` }} />
            </div>
            {bytes(progress.done)} of {bytes(progress.total)}, {bytes(progress.rate)}/s
            {progress.seconds_left !== null && <>, {duration(progress.seconds_left)} left</>}
          </>
        )}
      </>
    );
  if (state === "looking") return <>Looking at {screen.channel} …</>;
  if (state === "playing") return <b>{name} starts …</b>;
  if (state === "crashed")
    return (
      <>
        <b>{name} ended by itself</b>
        {screen.trouble}
      </>
    );
  return (
    <>
      <b>{installed ? name : "Library"}</b>
      {installed ? `${installed.version_name}, build ${installed.build}` : "Nothing is installed yet."}
      {found && (
        <div>
          {installed ? "An update is there: " : "There is "}
          {found.version_name}, build {found.build}
        </div>
      )}
    </>
  );
}
