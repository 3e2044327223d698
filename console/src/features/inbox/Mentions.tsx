import { Button, Flex, Link, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { api, read } from "../../api/client";
import { mentions } from "../../api/people";
import type { Mention } from "../../api/types";
import { count } from "../../lib/format";
import { moment } from "../../lib/time";
import { Panel } from "../../ui/Panel";
import { Refused } from "../../ui/States";

/** What others told whoever is signed in, and they have not read. */
export function Mentions() {
  const list = useQuery(mentions());
  const client = useQueryClient();
  const seen = useMutation({
    mutationFn: (ids: number[]) => read(api.PUT("/me/mentions", { body: { read: ids } })),
    onSuccess: (now) => client.setQueryData(mentions().queryKey, now),
  });
  const fresh = list.data?.mentions.filter((m) => !m.read) ?? [];
  if (fresh.length === 0) return null;
  return (
    <Panel
      title="For you, from others"
      act={
        <Button size="xs" variant="outline" onClick={() => seen.mutate(fresh.map((m) => m.id))}>
          All read
        </Button>
      }
    >
      <Refused error={seen.error} />
      <Flex direction="column" gap="2" as="ul" listStyleType="none">
        {fresh.map((m) => (
          <li key={m.id}>
            <Text overflowWrap="anywhere">
              <b>{m.who}</b> {says(m)}:{" "}
              <Link asChild color="accent">
                <RouterLink
                  to={`/sites/${m.site}/latest/fixes?fix=${m.fix}`}
                  onClick={() => seen.mutate([m.id])}
                >
                  {m.line}
                </RouterLink>
              </Link>
            </Text>
            {m.note && <Text overflowWrap="anywhere">“{m.note}”</Text>}
            <Text fontSize="sm" color="fg.muted">
              {m.site}, {moment(m.at)}
            </Text>
          </li>
        ))}
      </Flex>
    </Panel>
  );
}

/** What was done, before a colon and the first fix. */
const says = (m: Mention) =>
  (m.why === "given" ? "gave you " : "named you at ") +
  (m.fixes > 1 ? `${count(m.fixes, "fix", "fixes")}, the first of them` : "a fix");
