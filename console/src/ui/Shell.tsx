import { Box, Button, Flex, Link } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { NavLink, Outlet, Link as RouterLink, useNavigate, useParams } from "react-router";
import { api } from "../api/client";
import { mentions } from "../api/people";
import { alerts } from "../api/watching";
import { isAtLeast, useMe, useNameOfOld } from "../lib/me";
import { useColorMode } from "./colorMode";
import { KeyHelp } from "./KeyHelp";
import { PeopleNames } from "./People";

/** The frame of all pages: where one is, and the ways out. */
export function Shell() {
  const { site, crawl } = useParams();
  const { mode, toggle } = useColorMode();
  const me = useMe();
  useNameOfOld(me);
  const navigate = useNavigate();
  const client = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => api.DELETE("/session"),
    onSettled: () => {
      client.clear();
      navigate("/sign-in");
    },
  });
  return (
    <Flex direction="column" height="100dvh" bg="bg" color="fg">
      <Flex
        as="header"
        align="center"
        gap={{ base: "3", md: "5" }}
        px={{ base: "3", md: "5" }}
        py="2"
        borderBottomWidth="1px"
        bg="bg.subtle"
      >
        <Link asChild fontWeight="700" fontSize="lg" color="accent" letterSpacing="-0.01em">
          <RouterLink to="/">Harvik</RouterLink>
        </Link>
        <Flex as="nav" aria-label="Where you are" gap="2" minW="0" flex="1" align="center" truncate>
          {site && (
            <Link asChild fontWeight="600" color="fg">
              <RouterLink to={`/sites/${site}`}>{site}</RouterLink>
            </Link>
          )}
          {site && crawl && (
            <Box as="span" color="fg.muted">
              / {crawl === "latest" ? "latest crawl" : `crawl ${crawl}`}
            </Box>
          )}
        </Flex>
        {ways
          .filter((w) => isAtLeast(me, w.least))
          .map((w) =>
            w.to === "/inbox" ? (
              <Inbox key={w.to} />
            ) : (
              <Link key={w.to} asChild color="fg" display={{ base: "none", [w.from]: "inline" }}>
                <NavLink to={w.to}>{w.words}</NavLink>
              </Link>
            ),
          )}
        {me && <Me name={me.name} />}
        <Button size="xs" variant="ghost" onClick={toggle}>
          {mode === "light" ? "Dark" : "Light"}
        </Button>
        <Button size="xs" variant="ghost" onClick={() => signOut.mutate()}>
          Sign out
        </Button>
      </Flex>
      <Box as="main" flex="1" minH="0" overflow="auto">
        <Outlet />
      </Box>
      <KeyHelp />
      <PeopleNames />
    </Flex>
  );
}

/** The ways from everywhere, with who goes them, and on how wide a screen they are shown. */
const ways = [
  { to: "/inbox", words: "Inbox", least: "reader", from: "base" },
  { to: "/week", words: "Week", least: "reader", from: "md" },
  { to: "/ask", words: "Ask", least: "reader", from: "sm" },
  { to: "/look", words: "Look", least: "consultant", from: "sm" },
  { to: "/checks", words: "Checks", least: "reader", from: "sm" },
  { to: "/queue", words: "Queue", least: "reader", from: "md" },
  { to: "/people", words: "People", least: "owner", from: "md" },
] as const;

/** The name under which one works here: it leads to it, and asks for one where there is none yet. */
function Me({ name }: { name: string }) {
  return (
    <Link
      asChild
      color="fg"
      fontWeight="600"
      maxW="9rem"
      truncate
      display={{ base: "none", sm: "inline" }}
      title="Your name, password and sessions"
    >
      <NavLink to="/me">{name === "owner" ? "Your name?" : name}</NavLink>
    </Link>
  );
}

/** The way to what was told, with how much of it is new. */
function Inbox() {
  const list = useQuery(alerts("", "open"));
  const told = useQuery(mentions());
  const waiting = (list.data?.new ?? 0) + (told.data?.new ?? 0);
  return (
    <Link asChild color="fg" fontWeight={waiting > 0 ? "600" : undefined}>
      <NavLink to="/inbox">Inbox{waiting > 0 && ` ${waiting}`}</NavLink>
    </Link>
  );
}
