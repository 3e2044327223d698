import { Box, Button, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { Fix, State } from "../../api/types";
import { count } from "../../lib/format";
import { namesID } from "../../ui/People";
import { RecheckResult } from "../../ui/RecheckResult";

export interface Notice {
  text: string;
  batch?: number;
  waivers?: number[];
  recheck?: { crawl: number; number: number };
}

interface Props {
  site: string;
  chosen: Fix[];
  move: (to: State) => void;
  assign: (name: string) => void;
  waive: () => void;
  recheck: () => void;
  clear: () => void;
  notice?: Notice;
  undo: () => void;
  dismiss: () => void;
  done: () => void;
}

/** What can be done with the chosen fixes, and what was done last. */
export function WorkBar({ site, chosen, notice, ...p }: Props) {
  const [name, setName] = useState("");
  if (chosen.length === 0 && !notice) return null;
  return (
    <Flex
      px={{ base: "3", md: "5" }}
      py="1.5"
      gap="2"
      wrap="wrap"
      align="center"
      bg="accent.soft"
      borderTopWidth="1px"
      role="region"
      aria-label="Work at the chosen fixes"
    >
      {chosen.length > 0 && (
        <>
          <Text fontWeight="600">{count(chosen.length, "fix", "fixes")} chosen</Text>
          <Button size="xs" variant="outline" bg="bg.panel" onClick={() => p.move("taken")}>
            Take
          </Button>
          <Button size="xs" variant="outline" bg="bg.panel" onClick={() => p.move("claimed")}>
            Claim
          </Button>
          <Button size="xs" variant="outline" bg="bg.panel" onClick={() => p.move("open")}>
            Open again
          </Button>
          <Button size="xs" variant="outline" bg="bg.panel" onClick={p.waive}>
            Waive…
          </Button>
          <Button size="xs" variant="outline" bg="bg.panel" onClick={p.recheck}>
            Recheck
          </Button>
          <Input
            size="xs"
            width="8rem"
            bg="bg.panel"
            aria-label="Who works on them"
            placeholder="for …"
            list={namesID}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={(e) => e.key === "Enter" && p.assign(name)}
          />
          <Button size="xs" variant="ghost" onClick={p.clear}>
            Choose none
          </Button>
        </>
      )}
      {notice && (
        <Flex gap="3" align="center" minW="0" flex="1 1 100%">
          <Box minW="0" role="status" aria-label="Done last">
            {notice.text}
            {notice.recheck && (
              <RecheckResult
                key={notice.recheck.number}
                site={site}
                crawl={notice.recheck.crawl}
                number={notice.recheck.number}
                done={p.done}
              />
            )}
          </Box>
          {(notice.batch !== undefined || notice.waivers) && (
            <Button size="xs" variant="outline" bg="bg.panel" onClick={p.undo}>
              Undo
            </Button>
          )}
          <Button size="xs" variant="ghost" aria-label="Dismiss what was done last" onClick={p.dismiss}>
            ×
          </Button>
        </Flex>
      )}
    </Flex>
  );
}
