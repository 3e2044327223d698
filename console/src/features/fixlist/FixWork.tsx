import { Box, Button, chakra, Field, Flex, Input, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { task } from "../../api/queries";
import type { Check, Fix, State } from "../../api/types";
import { count, gain, when } from "../../lib/format";
import { isAtLeast, useMe } from "../../lib/me";
import type { Wish } from "../../lib/useWork";
import { namesID, useMentioning } from "../../ui/People";

interface Props {
  site: string;
  fix: Fix;
  check: Check;
  /** Only the newest list is worked with. */
  newest: boolean;
  move: (wish: Omit<Wish, "fixes">) => void;
  waive: () => void;
  recheck: () => void;
}

/** The work at one fix: its state, who, when, and what happened to it. */
export function FixWork({ site, fix, check, newest, move, waive, recheck }: Props) {
  const work = useQuery({ ...task(site, fix.id), enabled: isAtLeast(useMe(), "reader") });
  const [copied, setCopied] = useState(false);
  const mentioning = useMentioning();
  const history = work.data?.history ?? [];
  const button = (to: State, words: string) => (
    <Button
      size="xs"
      variant={fix.state === to ? "solid" : "outline"}
      bg={fix.state === to ? "accent.soft" : undefined}
      color="fg"
      aria-pressed={fix.state === to}
      onClick={() => move({ to })}
    >
      {words}
    </Button>
  );
  return (
    <Box borderTopWidth="1px" borderBottomWidth="1px" py="2.5" mb="3">
      <Flex gap="2" wrap="wrap" mb={newest ? "2" : "0"}>
        {newest && (
          <>
            {button("open", "Open")}
            {button("taken", "Take")}
            {button("claimed", "Claim")}
            <Button size="xs" variant="outline" onClick={waive}>
              Waive…
            </Button>
            <Button size="xs" variant="outline" onClick={recheck}>
              Recheck
            </Button>
          </>
        )}
        <Button
          size="xs"
          variant="ghost"
          onClick={() => navigator.clipboard.writeText(ticket(fix, check)).then(() => setCopied(true))}
        >
          {copied ? "Copied" : "Copy as text"}
        </Button>
      </Flex>
      {newest && (
        <Flex gap="2" wrap="wrap">
          <Detail
            label="For"
            value={fix.assignee ?? ""}
            list={namesID}
            save={(assignee) => move({ assignee })}
          />
          <Detail label="Due" value={fix.due ?? ""} type="date" save={(due) => move({ due })} />
          <Detail
            label="Note"
            hint="@somebody is told of it"
            value={fix.note ?? ""}
            wide
            offers={mentioning}
            save={(note) => move({ note })}
          />
        </Flex>
      )}
      {(fix.waived ?? 0) > 0 && (
        <Text fontSize="sm">{count(fix.waived ?? 0, "of its pages is", "of its pages are")} waived.</Text>
      )}
      {history.length > 0 && (
        <chakra.details mt="2" fontSize="sm">
          <chakra.summary cursor="pointer" color="fg.muted">
            {count(history.length, "event", "events")}, the last {when(history[0]?.at ?? "")}
          </chakra.summary>
          {history.map((e) => (
            <Text key={e.at + e.says} overflowWrap="anywhere">
              {when(e.at)}, {e.who}: {e.says}
            </Text>
          ))}
        </chakra.details>
      )}
    </Box>
  );
}

/** A field that is saved when it is left, or by Enter. */
function Detail({
  label,
  hint,
  value,
  type,
  list,
  wide,
  offers,
  save,
}: {
  label: string;
  hint?: string;
  value: string;
  type?: string;
  list?: string;
  wide?: boolean;
  /** What a text that is being typed might become. */
  offers?: (typed: string) => string[];
  save: (value: string) => void;
}) {
  const [typed, setTyped] = useState(value);
  useEffect(() => setTyped(value), [value]);
  const own = useId();
  const keep = () => typed !== value && save(typed);
  return (
    <Field.Root width={wide ? "100%" : "9.5rem"} orientation="horizontal" gap="2">
      <Field.Label fontSize="sm" color="fg.muted" flex="none">
        {label}
      </Field.Label>
      <Input
        size="xs"
        type={type}
        placeholder={hint}
        list={offers ? own : list}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && keep()}
      />
      {offers && (
        <datalist id={own}>
          {offers(typed).map((text) => (
            <option key={text} value={text} />
          ))}
        </datalist>
      )}
    </Field.Root>
  );
}

/** A fix as text for a ticket. */
function ticket(fix: Fix, check: Check): string {
  return [
    fix.line,
    "",
    `${fix.severity}, ${check.id}; ${count(fix.pages, "page", "pages")}, gain ${gain(fix.gain)}, effort ${fix.effort}`,
    "",
    `What: ${check.what}`,
    `Why: ${check.why}`,
    `How to fix: ${check.how}`,
    ...(fix.example ? ["", `Example: ${fix.example}`] : []),
    ...(fix.target ? [`Concerns: ${fix.target}`] : []),
    ...(fix.note ? ["", `Note: ${fix.note}`] : []),
    "",
    `Harvik fix ${fix.id}`,
  ].join("\n");
}
