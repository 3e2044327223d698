import { Box, Button, Flex, Input, Link } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { NavLink, Outlet, Link as RouterLink, useNavigate, useParams } from "react-router";
import { api } from "../api/client";
import { alerts } from "../api/watching";
import { useMe } from "../lib/me";
import { useColorMode } from "./colorMode";
import { KeyHelp } from "./KeyHelp";

/** The frame of all pages: where one is, and the ways out. */
export function Shell() {
  const { site, crawl } = useParams();
  const { mode, toggle } = useColorMode();
  const [me, setMe] = useMe();
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
        <Input
          size="xs"
          width="8rem"
          hideBelow="md"
          aria-label="Your name, kept with what you change"
          placeholder="your name"
          defaultValue={me}
          onBlur={(e) => setMe(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <Inbox />
        <Link asChild color="fg" display={{ base: "none", md: "inline" }}>
          <NavLink to="/week">Week</NavLink>
        </Link>
        <Link asChild color="fg" display={{ base: "none", sm: "inline" }}>
          <NavLink to="/ask">Ask</NavLink>
        </Link>
        <Link asChild color="fg">
          <NavLink to="/look">Look</NavLink>
        </Link>
        <Link asChild color="fg" display={{ base: "none", sm: "inline" }}>
          <NavLink to="/checks">Checks</NavLink>
        </Link>
        <Link asChild color="fg" display={{ base: "none", md: "inline" }}>
          <NavLink to="/queue">Queue</NavLink>
        </Link>
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
    </Flex>
  );
}

/** The way to what was told, with how much of it is new. */
function Inbox() {
  const list = useQuery(alerts("", "open"));
  const waiting = list.data?.new ?? 0;
  return (
    <Link asChild color="fg" fontWeight={waiting > 0 ? "600" : undefined}>
      <NavLink to="/inbox">Inbox{waiting > 0 && ` ${waiting}`}</NavLink>
    </Link>
  );
}
