import { Box, Flex, Heading, Input, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { care } from "../../api/watching";
import { count } from "../../lib/format";
import { isAtLeast, useMe } from "../../lib/me";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading } from "../../ui/States";
import { Tick } from "../../ui/Tick";
import { AddSite } from "./AddSite";
import { CareTable, type Choice, choices } from "./CareTable";

/** The columns that say something to the client of a site. */
const forClients: Choice[] = ["errors", "returned", "last"];

/** All sites under care, those that need somebody most first. */
export function SiteList() {
  const list = useQuery(care());
  const [at, setAt] = useSearchParams();
  const me = useMe();
  if (list.isPending) return <Loading />;
  if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
  const words = (at.get("find") ?? "").toLowerCase();
  const without = (at.get("without") ?? "").split(",").filter(Boolean);
  const needing = at.get("needing") === "yes";
  const group = at.get("group") ?? "";
  const set = (name: string, value: string) =>
    setAt(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const all = list.data.sites;
  const groups = [...new Set(all.flatMap((s) => s.groups))].sort();
  const some = all.filter(
    (s) =>
      (!needing || s.need !== "") &&
      (!group || s.groups.includes(group)) &&
      (!words ||
        [s.name, s.home, s.need, s.cause, ...s.assignees].some((text) => text.toLowerCase().includes(words))),
  );
  const offered = choices.filter(([name]) => me?.role !== "client" || forClients.includes(name));
  const shown = offered.map(([name]) => name).filter((name) => !without.includes(name));
  const toggle = (name: Choice) =>
    set(
      "without",
      (without.includes(name) ? without.filter((n) => n !== name) : [...without, name]).join(","),
    );
  return (
    <Box px={{ base: "3", md: "5" }} py="5">
      <Heading as="h1" size="xl" mb="3">
        Sites
      </Heading>
      {all.length === 0 ? (
        <Empty title="No site yet">
          {isAtLeast(me, "owner")
            ? "Add the first one below; then look over its plan and crawl it."
            : "None is given to you; ask the owner."}
        </Empty>
      ) : (
        <Box mb="8">
          <Flex gap="4" mb="3" wrap="wrap" align="center">
            <Input
              size="sm"
              width="16rem"
              bg="bg.panel"
              aria-label="Find sites"
              placeholder="name, need, cause, person"
              defaultValue={words}
              onChange={(e) => set("find", e.target.value)}
            />
            {(groups.length > 0 || group) && (
              <Select
                label="Group"
                value={group}
                options={[["", "all groups"], ...groups.map((g): [string, string] => [g, g])]}
                width="10rem"
                set={(g) => set("group", g)}
              />
            )}
            <Tick
              label="only those that need somebody"
              on={needing}
              set={() => set("needing", needing ? "" : "yes")}
            />
            <Flex gap="3" wrap="wrap" hideBelow="md" role="group" aria-label="Columns">
              {offered.map(([name, head]) => (
                <Tick
                  key={name}
                  label={head.replace(">", "")}
                  on={!without.includes(name)}
                  set={() => toggle(name)}
                />
              ))}
            </Flex>
          </Flex>
          {some.length === 0 ? (
            <Text color="fg.muted">None of {count(all.length, "site", "sites")} is so.</Text>
          ) : (
            <CareTable sites={some} shown={shown} />
          )}
        </Box>
      )}
      {isAtLeast(me, "owner") && <AddSite />}
    </Box>
  );
}
