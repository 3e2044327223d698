import { Box, Link, Table } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import type { Answer } from "../../api/types";
import { shortAddress, whole } from "../../lib/format";
import { isNumber, said } from "./wording";

interface Props {
  answer: Answer;
  home: string;
  /** Where the rows of a group are. */
  rowsOf: (question: string) => string;
}

/** Answers grouped by a fact, with a bar for each; a group leads to its rows. */
export function GroupRows({ answer, home, rowsOf }: Props) {
  const { by, measure } = answer;
  const groups = answer.groups ?? [];
  const most = Math.max(1, ...groups.map((g) => g.count));
  if (!by) return null;
  return (
    <Box
      flex="1"
      minH="0"
      overflow="auto"
      px={{ base: "3", md: "5" }}
      role="region"
      aria-label="Groups"
      tabIndex={0}
    >
      <Table.Root size="sm" bg="bg.panel" stickyHeader>
        <Table.Header>
          <Table.Row bg="bg.subtle">
            <Table.ColumnHeader>{by.label}</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">{answer.of}</Table.ColumnHeader>
            <Table.ColumnHeader textAlign="end">share</Table.ColumnHeader>
            <Table.ColumnHeader width="30%">
              <Box srOnly>bar</Box>
            </Table.ColumnHeader>
            {measure?.name &&
              [`${measure.label}, sum`, "mean", "median", "least", "most"].map((h) => (
                <Table.ColumnHeader key={h} textAlign="end">
                  {h}
                </Table.ColumnHeader>
              ))}
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {groups.slice(0, 500).map((g) => {
            const value = said(by, g.value);
            const m = g.measured;
            return (
              <Table.Row key={g.question} bg="bg.panel">
                <Table.Cell
                  textAlign={isNumber(by) ? "start" : undefined}
                  maxW="26rem"
                  truncate
                  title={value}
                >
                  <Link asChild color="accent">
                    <RouterLink to={rowsOf(g.question)}>
                      {shortAddress(value, home) || (g.value === "" ? "none" : "not known")}
                    </RouterLink>
                  </Link>
                </Table.Cell>
                <Table.Cell textAlign="end">{whole(g.count)}</Table.Cell>
                <Table.Cell textAlign="end">{(100 * g.share).toFixed(1)} %</Table.Cell>
                <Table.Cell>
                  <Box height="10px" bg="accent" width={`${(100 * g.count) / most}%`} minW="2px" />
                </Table.Cell>
                {measure?.name &&
                  [m?.sum, m?.mean, m?.median, m?.least, m?.most].map((v, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: the columns are always the same
                    <Table.Cell key={i} textAlign="end">
                      {m && m.count > 0 && v !== undefined ? whole(v) : "–"}
                    </Table.Cell>
                  ))}
              </Table.Row>
            );
          })}
        </Table.Body>
      </Table.Root>
      {groups.length > 500 && (
        <Box color="fg.muted" py="2">
          {whole(groups.length - 500)} more groups; narrow the question to see them.
        </Box>
      )}
    </Box>
  );
}
