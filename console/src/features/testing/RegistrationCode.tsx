import { Button } from "@mantine/core";
import { Link } from "react-router";

import type { Schemas } from "../../app/http";
import { Command, Failure, When } from "../../ui/parts";
import { QrCode } from "../../ui/QrCode";
import type { useRegistration } from "./queries";
import "./testing.css";

interface Props {
  registration: ReturnType<typeof useRegistration>;
  label: string;
  variant?: "default" | "filled";
}

/** The button that makes a code, and then the code. */
export function Register({ registration, label, variant = "default" }: Props) {
  if (registration.data) return <RegistrationCode code={registration.data} again={() => registration.mutate()} />;
  return (
    <>
      {registration.error && <Failure error={registration.error} />}
      <Button className="big" variant={variant} fullWidth loading={registration.isPending} onClick={() => registration.mutate()}>
        {label}
      </Button>
    </>
  );
}

/** A code that registers one device: as a picture for a telephone or headset, as a link, and to be typed. */
function RegistrationCode({ code, again }: { code: Schemas["RegistrationCode"]; again: () => void }) {
  return (
    <div>
      <QrCode className="picture" picture={code.picture} alt={`QR code of ${code.link}`} />
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
