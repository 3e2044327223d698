import { Box, Button, Flex, Input } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { questionReading } from "../../api/queries";
import type { FactTable, FormComparison, QuestionPart } from "../../api/types";
import { Select } from "../../ui/Select";
import { written } from "./wording";

interface Props {
  table: FactTable;
  comparisons: FormComparison[];
  question: string;
  ask: (question: string) => void;
}

/** Conditions one by one: it writes the question, and shows of one that was typed what a form can show. */
export function Builder({ table, comparisons, question, ask }: Props) {
  const reading = useQuery(questionReading(table.name, question));
  const [draft, setDraft] = useState<QuestionPart>();
  const parts = reading.data?.parts ?? [];
  const whole = reading.data?.whole ?? true;
  const write = (next: QuestionPart[]) => {
    ask(next.map((p) => written(p, table, comparisons)).join(" && "));
    setDraft(undefined);
  };
  if (reading.data && reading.data.faults.length > 0) return null;
  if (!whole) {
    return (
      <Box color="fg.muted" fontSize="sm">
        This question says more than the form can show; change it in its line.
      </Box>
    );
  }
  return (
    <Flex gap="2" wrap="wrap" align="center">
      {parts.map((p, i) => (
        <Condition
          // biome-ignore lint/suspicious/noArrayIndexKey: conditions have no other identity
          key={`${i}${p.fact}${p.is}${p.value}`}
          part={p}
          table={table}
          comparisons={comparisons}
          set={(next) => write(parts.map((old, n) => (n === i ? next : old)))}
          remove={() => write(parts.filter((_, n) => n !== i))}
        />
      ))}
      {draft ? (
        <Condition
          part={draft}
          table={table}
          comparisons={comparisons}
          set={(next) => {
            const comparison = comparisons.find((c) => c.name === next.is);
            if (comparison?.takes && next.value === "") setDraft(next);
            else write([...parts, next]);
          }}
          remove={() => setDraft(undefined)}
        />
      ) : (
        <Button
          size="xs"
          variant="outline"
          onClick={() => {
            const first = table.facts.find((f) => !["figures", "links"].includes(f.kind));
            setDraft({ fact: first?.name ?? "", is: "contains", value: "" });
          }}
        >
          Add a condition
        </Button>
      )}
    </Flex>
  );
}

interface ConditionProps {
  part: QuestionPart;
  table: FactTable;
  comparisons: FormComparison[];
  set: (part: QuestionPart) => void;
  remove: () => void;
}

function Condition({ part, table, comparisons, set, remove }: ConditionProps) {
  const [value, setValue] = useState(part.value);
  const fact = table.facts.find((f) => f.name === part.fact);
  const fitting = comparisons.filter((c) => c.kinds.includes(fact?.kind ?? ""));
  const chosen = fitting.find((c) => c.name === part.is);
  const apply = () => value !== part.value && set({ ...part, value });
  return (
    <Flex gap="1" align="center" bg="bg.subtle" rounded="sm" p="1" maxW="100%">
      <Select
        size="xs"
        width="9rem"
        label="Fact"
        value={part.fact}
        set={(name) => {
          const kind = table.facts.find((f) => f.name === name)?.kind ?? "";
          const same = comparisons.find((c) => c.name === part.is && c.kinds.includes(kind));
          const next = same ?? comparisons.find((c) => c.kinds.includes(kind));
          set({ fact: name, is: next?.name ?? "", value: kind === fact?.kind ? part.value : "" });
        }}
        options={table.facts
          .filter((f) => !["figures", "links"].includes(f.kind))
          .map((f) => [f.name, f.label])}
      />
      <Select
        size="xs"
        width="8rem"
        label="Comparison"
        value={part.is}
        set={(is) => set({ ...part, is })}
        options={fitting.map((c) => [c.name, c.say])}
      />
      {chosen?.takes && (
        <Input
          size="xs"
          width="9rem"
          aria-label="Value"
          value={value}
          inputMode={fact?.kind === "whole" || fact?.kind === "decimal" ? "decimal" : "text"}
          onChange={(e) => setValue(e.target.value)}
          onBlur={apply}
          onKeyDown={(e) => e.key === "Enter" && apply()}
        />
      )}
      <Button size="2xs" variant="ghost" minW="6" h="6" aria-label={`Take off ${part.fact}`} onClick={remove}>
        ✕
      </Button>
    </Flex>
  );
}
