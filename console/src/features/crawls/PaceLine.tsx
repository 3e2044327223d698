import { Box, Button, Field, Flex, Input, Text } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import type { Pace } from "../../api/types";
import { May } from "../../ui/May";
import { Refused } from "../../ui/States";

interface PaceLineProps {
  site: string;
  crawl: string;
  pace: Pace;
  pause: string;
}

/** How fast the site is asked and why no faster, and a way to change it while the crawl runs. */
export function PaceLine({ site, crawl, pace, pause }: PaceLineProps) {
  const [open, setOpen] = useState(false);
  const [parallel, setParallel] = useState(String(pace.of));
  const [gap, setGap] = useState(pause);
  const change = useMutation({
    mutationFn: () =>
      api.PATCH("/sites/{site}/crawls/{crawl}/pace", {
        params: { path: { site, crawl } },
        body: { parallel: Number(parallel), pause: gap },
      }),
    onSuccess: () => setOpen(false),
  });
  return (
    <Box mb="5">
      <Flex gap="3" align="center" wrap="wrap">
        <Text>
          Pace: {pace.parallel} of {pace.of} requests at once
          {pace.gap > 0 && `, ${pace.gap.toFixed(2)} s between two`}
          {pace.crawls > 1 && `, shared by ${pace.crawls} crawls of this host`}.
          {pace.reason && (
            <>
              {" "}
              <b>Slower, because {pace.reason}.</b>
            </>
          )}
          {pace.waits ? ` Goes on in ${Math.ceil(pace.waits)} s.` : ""}
        </Text>
        <May as="consultant">
          <Button size="xs" variant="outline" aria-expanded={open} onClick={() => setOpen(!open)}>
            Change the pace
          </Button>
        </May>
      </Flex>
      {open && (
        <Flex gap="3" mt="2" align="flex-end" wrap="wrap">
          <Field.Root width="9rem">
            <Field.Label>Requests at once</Field.Label>
            <Input
              size="sm"
              bg="bg.panel"
              inputMode="numeric"
              value={parallel}
              onChange={(e) => setParallel(e.target.value)}
            />
          </Field.Root>
          <Field.Root width="9rem">
            <Field.Label>Pause, such as 200ms</Field.Label>
            <Input size="sm" bg="bg.panel" value={gap} onChange={(e) => setGap(e.target.value)} />
          </Field.Root>
          <Button size="sm" bg="accent" color="accent.text" onClick={() => change.mutate()}>
            Apply
          </Button>
          <Refused error={change.error} />
        </Flex>
      )}
    </Box>
  );
}
