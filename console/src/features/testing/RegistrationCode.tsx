import { Button } from "@mantine/core";
import { Link } from "react-router";

import type { Schemas } from "../../app/http";
import { Command, When } from "../../ui/parts";
import "./testing.css";

/** A code that registers one device: as a picture for a telephone or headset, as a link, and to be typed. */
export function RegistrationCode({ code, again }: { code: Schemas["RegistrationCode"]; again: () => void }) {
  return (
    <div>
      <img
        className="picture"
        src={`data:image/svg+xml,${encodeURIComponent(code.picture)}`}
        alt={`QR code of ${code.link}`}
        width={220}
        height={220}
      />
      <div className="code">{code.code}</div>
      <p>
        Point the device&apos;s camera at the picture, open <Link to={`/device#${code.code}`}>this link</Link> where it runs, or type the
        code. It registers one device, once; it ends <When at={code.expires_at} />.
      </p>
      <Command text={code.link} />
      <Button className="big" variant="subtle" fullWidth onClick={again}>
        Make another code
      </Button>
    </div>
  );
}
