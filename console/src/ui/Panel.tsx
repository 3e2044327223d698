import { Box, Flex, Heading, Table, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  title: string;
  /** What can be done with the whole. */
  act?: ReactNode;
  /** Said where there are no rows. */
  none?: ReactNode;
  rows?: number;
  children?: ReactNode;
}

/** A part of a page, with its heading. */
export function Panel({ title, act, none, rows, children }: Props) {
  return (
    <Box as="section" aria-label={title} mb="7">
      <Flex align="baseline" gap="3" mb="2" wrap="wrap">
        <Heading as="h2" size="md">
          {title}
        </Heading>
        {act}
      </Flex>
      {rows === 0 ? <Text color="fg.muted">{none}</Text> : children}
    </Box>
  );
}

/** A table of few rows in its frame. */
export function Framed({ children }: { children: ReactNode }) {
  return (
    <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel">
      <Table.Root size="sm">{children}</Table.Root>
    </Table.ScrollArea>
  );
}

/** A table of few rows, with its headings; those of numbers begin with ">". */
export function Rows({ heads, children }: { heads: string[]; children: ReactNode }) {
  return (
    <Framed>
      <Table.Header>
        <Table.Row bg="bg.subtle">
          {heads.map((h) => (
            <Table.ColumnHeader key={h} textAlign={h.startsWith(">") ? "end" : undefined} whiteSpace="nowrap">
              {h.replace(">", "")}
            </Table.ColumnHeader>
          ))}
        </Table.Row>
      </Table.Header>
      <Table.Body>{children}</Table.Body>
    </Framed>
  );
}
