import { Button, Switch } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { bytes, capital } from "../../ui/format";
import { Answer, Command, Digest, Failure } from "../../ui/parts";
import { QrCode } from "../../ui/QrCode";
import { Asked } from "./Asked";
import { platformHere, platformName } from "./here";
import { type InstallPage as Install, useDownload, useInstallPage, useRegistration } from "./queries";
import { Register } from "./RegistrationCode";
import { SayIt } from "./SayIt";
import { ToSignOff } from "./ToSignOff";
import "./testing.css";

/** How do I get this build onto my device? */
export function InstallPage() {
  const { title = "", channel = "", build = "" } = useParams();
  const page = useInstallPage(title, channel, build);
  return (
    <Answer of={page} rows={7}>
      {(found) => (
        <>
          <h1>
            {found.title_name} {found.build.version_name} for {found.build.platform_title}
          </h1>
          <div className="dim">
            #{found.build.build} on {found.channel}
          </div>
          <Asked notes={found.build.notes} />
          <Elsewhere page={found} />
          <Way page={found} />
          <ToSignOff title={title} channel={channel} build={build} />
          <SayIt page={found} />
          <Simulated page={found} />
          <Share page={found} />
        </>
      )}
    </Answer>
  );
}

/** The visitor's machine is another than the build's: what it needs instead, where there is something. */
function Elsewhere({ page }: { page: Install }) {
  const here = platformHere();
  if (!here || here === page.build.platform) return null;
  const mine = page.others.find((b) => b.platform === here);
  return (
    <div className="card">
      This build is for {page.build.platform_title}, and you are on {platformName(here)}.{" "}
      {mine ? (
        <Link to={`/install/${page.title}/${page.channel}/${mine.build}`}>
          Take #{mine.build}, {mine.version_name} for {mine.platform_title}.
        </Link>
      ) : (
        <>There is none for {platformName(here)} here. Open this page on the right device: the picture below holds its address.</>
      )}
    </div>
  );
}

function Way({ page }: { page: Install }) {
  const download = useDownload(page.title, page.channel, String(page.build.build));
  const registration = useRegistration(page.title, page.channel);
  if (page.way === "register")
    return (
      <section className="card">
        <h2>Register your device first</h2>
        <p>
          {page.build.platform_title} runs test builds only on devices that are named when they are signed. Register yours; then an engineer
          signs this build again for it, which takes a moment.
        </p>
        <Register registration={registration} label="Register a device" />
      </section>
    );
  if (page.way === "waiting")
    return (
      <section className="card">
        <h2>Your device is known, this build came before it</h2>
        <p>
          An engineer of the studio signs it again in one act. The page shows the file as soon as that is done; nothing has to be built
          anew.
        </p>
      </section>
    );
  if (page.way === "storefront")
    return (
      <section className="card">
        <h2>No device installs this by itself</h2>
        <p>
          {page.file} is a bundle that a storefront makes packages of. A simulated device installs its content all the same; for a
          telephone, ask for a build with a package of its own.
        </p>
      </section>
    );
  return (
    <section className="card">
      <dl className="facts">
        <dt>File</dt>
        <dd className="mono">{page.file}</dd>
        <dt>Size</dt>
        <dd>{bytes(page.build.size)}</dd>
        <dt>SHA-256</dt>
        <dd>
          <Digest value={page.sha256} what="digest" />
        </dd>
      </dl>
      {download.error && <Failure error={download.error} />}
      <Button className="big" variant="filled" fullWidth loading={download.isPending} onClick={() => download.mutate()}>
        Download, {bytes(page.build.size)}
      </Button>
      <p className="dim" style={{ marginBottom: 0 }}>
        {HOW[page.kind] ?? ""} The address is made for you and is good for a minute.
      </p>
    </section>
  );
}

/** What is done with the file, by its kind. */
const HOW: Record<string, string> = {
  zip: "Unpack it and start the title in it.",
  "tar.zst": "Unpack it and start the title in it.",
  apk: "Open it on the device, and allow installing from this browser when you are asked.",
  ipa: "It runs on the devices that it was signed for.",
};

function Simulated({ page }: { page: Install }) {
  const [shown, show] = useState(false);
  const registration = useRegistration(page.title, page.channel);
  const code = registration.data?.link ?? "CODE";
  return (
    <section className="card">
      <Switch label="On a simulated device" checked={shown} onChange={(e) => show(e.currentTarget.checked)} />
      {shown && (
        <>
          <p>
            A folder on a machine with the command line; it installs for real. Make a code, type it there, and what is live on{" "}
            {page.channel} comes with the first update:
          </p>
          <Command text={`rampa device add my-device --platform ${page.build.platform} --code ${code}`} />
          <Register registration={registration} label="Make a code" />
        </>
      )}
    </section>
  );
}

function Share({ page }: { page: Install }) {
  return (
    <section className="card">
      <h2>Open this page elsewhere</h2>
      <QrCode className="picture" picture={page.picture} alt={`QR code of ${page.link}`} />
      <Command text={page.link} />
      <p className="dim" style={{ marginBottom: 0 }}>
        {capital(page.channel)} is by invitation: whoever opens it signs in first.
      </p>
    </section>
  );
}
