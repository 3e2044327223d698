import { Box, Button, Flex, Input, Link, Text } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { api, read } from "../../api/client";
import type { Alert, AlertChange } from "../../api/types";
import { whole } from "../../lib/format";
import { useMe } from "../../lib/me";
import { moment } from "../../lib/time";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

/** One thing that was told, with what can be done about it. */
export function AlertItem({ of: a }: { of: Alert }) {
  const client = useQueryClient();
  const me = useMe();
  const [waving, setWaving] = useState(false);
  const [reason, setReason] = useState("");
  const done = () => {
    client.invalidateQueries({ queryKey: ["alerts"] });
    client.invalidateQueries({ queryKey: ["care"] });
  };
  const params = { path: { alert: a.id } };
  const change = useMutation({
    mutationFn: (body: AlertChange) => read(api.PATCH("/alerts/{alert}", { params, body })),
    onSuccess: done,
  });
  const take = useMutation({
    mutationFn: () => read(api.POST("/alerts/{alert}/task", { params, body: { assignee: me?.name } })),
    onSuccess: done,
  });
  const tomorrow = () => {
    const at = new Date();
    at.setDate(at.getDate() + 1);
    at.setHours(7, 0, 0, 0);
    change.mutate({ until: at.toISOString() });
  };
  const act = (label: string, onClick: () => void) => (
    <Button size="xs" variant="outline" onClick={onClick} aria-label={`${label}: ${a.says}`}>
      {label}
    </Button>
  );
  const standing = [
    a.state,
    a.lasts && !a.ended && "lasts",
    a.ended && `over ${moment(a.ended)}: ${a.over}`,
    a.assignee && `with ${a.assignee}`,
    a.until && new Date(a.until) > new Date() && `out of sight until ${moment(a.until)}`,
    a.reason,
  ].filter(Boolean);
  return (
    <Box
      as="li"
      borderWidth="1px"
      borderLeftWidth={a.urgent && !a.ended ? "4px" : "1px"}
      borderLeftColor={a.urgent && !a.ended ? "severity.error" : undefined}
      rounded="sm"
      bg="bg.panel"
      px="4"
      py="3"
    >
      <Text fontSize="sm" color="fg.muted">
        <Link asChild color="accent" fontWeight="600">
          <RouterLink to={`/sites/${a.site}`}>{a.site}</RouterLink>
        </Link>{" "}
        · since {moment(a.began)} · {standing.join(" · ")}
      </Text>
      <Text fontWeight="600">
        <Link asChild color="fg">
          <RouterLink to={a.link}>{a.says}</RouterLink>
        </Link>
      </Text>
      {a.lines.length > 0 && (
        <Box as="ul" listStyleType="disc" ps="5" fontSize="sm" overflowWrap="anywhere" my="1">
          {a.lines.map((l) => (
            <li key={l}>{l}</li>
          ))}
          {a.more !== undefined && a.more > 0 && <li>and {whole(a.more)} more</li>}
        </Box>
      )}
      {a.first && !a.ended && <Text mt="1">{a.first}</Text>}
      <May as="consultant">
        <Flex gap="2" mt="2" wrap="wrap" align="center">
          {a.state === "new" && act("Mark as read", () => change.mutate({ state: "read" }))}
          {a.fixes.length > 0 && !a.ended && act("Take its fixes", () => take.mutate())}
          {!a.assignee && me && act("Take it", () => change.mutate({ assignee: me.name, state: "read" }))}
          {a.assignee && act("Give it back", () => change.mutate({ assignee: "" }))}
          {!a.ended && act("Tomorrow", tomorrow)}
          {a.state !== "waved off" && !waving && act("Wave off…", () => setWaving(true))}
          {waving && (
            <>
              <Input
                size="xs"
                width="16rem"
                autoFocus
                aria-label="Why it does not matter"
                placeholder="why it does not matter"
                value={reason}
                onChange={(e) => setReason(e.target.value)}
              />
              <Button size="xs" onClick={() => change.mutate({ state: "waved off", reason })}>
                Wave off
              </Button>
            </>
          )}
        </Flex>
      </May>
      <Refused error={change.error ?? take.error} mt="2" />
    </Box>
  );
}
