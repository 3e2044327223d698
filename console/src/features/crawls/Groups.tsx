import { Button, Flex, Input, Link, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { api, read } from "../../api/client";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

/** The groups that a site is in, and how to say others. */
export function Groups({ site, of: groups }: { site: string; of: string[] }) {
  const [said, say] = useState<string>();
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: (words: string) =>
      read(
        api.PUT("/sites/{site}/groups", {
          params: { path: { site } },
          body: { groups: words.split(/[\s,]+/).filter(Boolean) },
        }),
      ),
    onSuccess: () => {
      say(undefined);
      return client.invalidateQueries({ queryKey: ["care"] });
    },
  });
  if (said === undefined)
    return (
      <Text>
        {groups.length > 0 && "In "}
        {groups.map((g, i) => (
          <span key={g}>
            {i > 0 && ", "}
            <Link asChild color="accent">
              <RouterLink to={`/?group=${g}`}>{g}</RouterLink>
            </Link>
          </span>
        ))}
        <May as="owner">
          {groups.length > 0 && " · "}
          <Button
            variant="plain"
            size="sm"
            height="auto"
            px="0"
            color="accent"
            onClick={() => say(groups.join(" "))}
          >
            {groups.length > 0 ? "change groups" : "In no group: put it into one"}
          </Button>
        </May>
      </Text>
    );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(said);
      }}
    >
      <Flex gap="2" align="center">
        <Input
          size="xs"
          width="14rem"
          autoFocus
          aria-label="Groups, with spaces between"
          placeholder="gardens north"
          value={said}
          onChange={(e) => say(e.target.value)}
        />
        <Button size="xs" type="submit" bg="accent" color="accent.text" loading={keep.isPending}>
          Keep
        </Button>
        <Button size="xs" variant="ghost" onClick={() => say(undefined)}>
          Leave it
        </Button>
      </Flex>
      <Refused error={keep.error} />
    </form>
  );
}
