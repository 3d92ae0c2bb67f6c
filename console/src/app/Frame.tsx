import { ActionIcon, AppShell, Burger, Group, Menu, Text, Tooltip, useComputedColorScheme, useMantineColorScheme } from "@mantine/core";
import { useDisclosure } from "@mantine/hooks";
import { IconMoon, IconSun } from "@tabler/icons-react";
import { Suspense, useEffect } from "react";
import { Link, Outlet, useLocation } from "react-router";

import { Confirmation } from "../features/session/Confirmation";
import { useSession, useSignOut } from "../features/session/queries";
import { Loading } from "../ui/parts";
import { Mark } from "./Mark";
import { Nav } from "./Nav";
import { PageFailure } from "./PageFailure";

/** What stands around every page: where one is, where one can go, who one is. */
export function Frame() {
  const [open, { toggle, close }] = useDisclosure();
  const place = useLocation();
  useEffect(close, [place.pathname, close]);
  return (
    <AppShell header={{ height: 46 }} navbar={{ width: 196, breakpoint: 900, collapsed: { mobile: !open } }} padding="md">
      <AppShell.Header style={{ background: "var(--r-panel)", borderColor: "var(--r-line)" }}>
        <Group h="100%" px="md" gap="md" wrap="nowrap">
          <Burger opened={open} onClick={toggle} hiddenFrom="sm" size="sm" aria-label="Pages" />
          <Link to="/" style={{ display: "flex", alignItems: "center", gap: 8, color: "inherit" }}>
            <Mark />
            <Text ff="heading" fw={600} size="lg" component="span">
              Rampa
            </Text>
          </Link>
          <Person />
        </Group>
      </AppShell.Header>
      <AppShell.Navbar p="xs" style={{ background: "var(--r-panel)", borderColor: "var(--r-line)" }}>
        <Nav />
      </AppShell.Navbar>
      <AppShell.Main>
        <Confirmation />
        <PageFailure at={place.pathname}>
          <Suspense fallback={<Loading />}>
            <Outlet />
          </Suspense>
        </PageFailure>
      </AppShell.Main>
    </AppShell>
  );
}

function Person() {
  const { data: session } = useSession();
  const signOut = useSignOut();
  const { setColorScheme } = useMantineColorScheme();
  const dark = useComputedColorScheme("light") === "dark";
  return (
    <Group gap="xs" ml="auto" wrap="nowrap">
      <Text size="sm" c="dimmed" visibleFrom="sm" component={Link} to="/studio">
        {session?.studio} · {session?.studio_verified ? "verified" : "not verified"}
      </Text>
      <Tooltip label={dark ? "Light scheme" : "Dark scheme"}>
        <ActionIcon
          variant="subtle"
          color="gray"
          aria-label={dark ? "Light scheme" : "Dark scheme"}
          onClick={() => setColorScheme(dark ? "light" : "dark")}
        >
          {dark ? <IconSun size={17} /> : <IconMoon size={17} />}
        </ActionIcon>
      </Tooltip>
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <button type="button" style={{ all: "unset", cursor: "pointer", fontWeight: 600, fontSize: 13.5 }}>
            {session?.person.name} <span className="dim">▾</span>
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Label>
            {session?.person.email}, {session?.person.role}
          </Menu.Label>
          <Menu.Item component={Link} to="/account">
            Your account
          </Menu.Item>
          <Menu.Item onClick={() => signOut.mutate()}>Sign out</Menu.Item>
        </Menu.Dropdown>
      </Menu>
    </Group>
  );
}
