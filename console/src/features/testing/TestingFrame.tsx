import { ActionIcon, Button, Menu, useComputedColorScheme, useMantineColorScheme } from "@mantine/core";
import { IconDeviceMobile, IconMessage, IconMoon, IconPackage, IconSun, IconUser } from "@tabler/icons-react";
import { Suspense } from "react";
import { Link, NavLink, Outlet, useLocation } from "react-router";

import { Mark } from "../../app/Mark";
import { PageFailure } from "../../app/PageFailure";
import { Loading } from "../../ui/parts";
import { useSession, useSignOut } from "../session/queries";
import "./testing.css";

/** What stands around a tester's pages: made for a telephone in the hand, the ways at the thumb. */
export function TestingFrame() {
  const place = useLocation();
  const { data: session } = useSession();
  const signOut = useSignOut();
  const { setColorScheme } = useMantineColorScheme();
  const dark = useComputedColorScheme("light") === "dark";
  const scheme = dark ? "Light scheme" : "Dark scheme";
  return (
    <div className="testing">
      <header>
        <Link to="/testing" className="home">
          <Mark /> {session?.studio}
        </Link>
        <ActionIcon variant="subtle" color="gray" aria-label={scheme} onClick={() => setColorScheme(dark ? "light" : "dark")}>
          {dark ? <IconSun size={18} /> : <IconMoon size={18} />}
        </ActionIcon>
        <Menu position="bottom-end" withinPortal>
          <Menu.Target>
            <Button variant="subtle" color="gray" size="compact-sm" leftSection={<IconUser size={16} />}>
              {session?.person.name}
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Label>{session?.person.email}</Menu.Label>
            {session?.person.role !== "tester" && (
              <Menu.Item component={Link} to="/">
                The studio&apos;s console
              </Menu.Item>
            )}
            <Menu.Item component={Link} to="/testing/account">
              Your account
            </Menu.Item>
            <Menu.Item onClick={() => signOut.mutate()}>Sign out</Menu.Item>
          </Menu.Dropdown>
        </Menu>
      </header>
      <main>
        <PageFailure at={place.pathname}>
          <Suspense fallback={<Loading />}>
            <Outlet />
          </Suspense>
        </PageFailure>
      </main>
      <nav aria-label="Pages">
        <NavLink to="/testing" end>
          <IconPackage size={20} aria-hidden /> To test
        </NavLink>
        <NavLink to="/testing/feedback">
          <IconMessage size={20} aria-hidden /> Feedback
        </NavLink>
        <NavLink to="/testing/devices">
          <IconDeviceMobile size={20} aria-hidden /> Devices
        </NavLink>
      </nav>
    </div>
  );
}
