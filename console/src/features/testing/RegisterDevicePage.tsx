import { Button, Select, Stack, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useLocation } from "react-router";

import { ApiError, call, type Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { newKey } from "./deviceKey";
import { platformHere } from "./here";
import "./testing.css";

const PLATFORMS = [
  { value: "android", label: "Android" },
  { value: "ios", label: "iOS" },
  { value: "linux", label: "Linux" },
  { value: "macos", label: "macOS" },
  { value: "windows", label: "Windows" },
  { value: "headset", label: "Headset" },
];

interface Said {
  name: string;
  platform: string;
  form: string;
  level: string;
  code: string;
}

async function register(said: Said): Promise<Schemas["Registered"]> {
  let key: Awaited<ReturnType<typeof newKey>>;
  try {
    key = await newKey(said.code);
  } catch (error) {
    throw new ApiError(0, { detail: error instanceof Error ? error.message : String(error) });
  }
  const body = { ...said, public_key: key.publicKey, proof: key.proof };
  const made = await call<Schemas["Registered"]>("/devices", { method: "POST", body });
  await key.save(made.device_id);
  return made;
}

/** Which device is this, and whose? Whoever opens the link registers the device that they opened it on; no sign-in is needed. */
export function RegisterDevicePage() {
  const { hash } = useLocation();
  const [said, say] = useState<Said>({
    name: "",
    platform: platformHere() || "linux",
    form: "",
    level: "",
    code: decodeURIComponent(hash.slice(1)),
  });
  const registering = useMutation({ mutationFn: register });
  const send = (event: FormEvent) => {
    event.preventDefault();
    registering.mutate(said);
  };
  const field = (name: keyof Said) => ({
    value: said[name],
    onChange: (e: { currentTarget: { value: string } }) => {
      const { value } = e.currentTarget;
      say((now) => ({ ...now, [name]: value }));
    },
  });
  if (registering.data) return <Done made={registering.data} />;
  return (
    <main className="alone">
      <form onSubmit={send} className="panel" style={{ padding: 20 }}>
        <Stack gap="sm">
          <h1 style={{ margin: 0, fontSize: 22 }}>Register this device</h1>
          <p className="dim" style={{ margin: 0 }}>
            It makes a key that stays on it. The studio learns what you write here and when it was last seen, nothing else.
          </p>
          <TextInput label="Code" required autoComplete="off" {...field("code")} />
          <TextInput
            label="Name"
            description="What you will know it by: small letters, digits, hyphens"
            required
            pattern="[a-z0-9][a-z0-9\-]{0,48}"
            autoComplete="off"
            {...field("name")}
          />
          <Select
            label="Platform"
            data={PLATFORMS}
            allowDeselect={false}
            value={said.platform}
            onChange={(v) => v && say((now) => ({ ...now, platform: v }))}
          />
          <TextInput label="Class" description="Such as phone or visor-2; may stay empty" maxLength={40} {...field("form")} />
          <TextInput label="System level" description="Such as 14; may stay empty" maxLength={40} {...field("level")} />
          {registering.error && <Failure error={registering.error} />}
          <Button type="submit" variant="filled" size="md" fullWidth loading={registering.isPending}>
            Register it
          </Button>
        </Stack>
      </form>
    </main>
  );
}

function Done({ made }: { made: Schemas["Registered"] }) {
  return (
    <main className="alone">
      <div className="panel" style={{ padding: 20 }}>
        <h1 style={{ margin: 0, fontSize: 22 }}>{made.name} is registered</h1>
        <p>
          It follows {made.channel} of {made.title_name}.
        </p>
        <Button component={Link} to="/testing" variant="filled" fullWidth>
          What can be installed
        </Button>
      </div>
    </main>
  );
}
