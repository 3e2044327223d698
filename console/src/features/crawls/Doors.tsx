import { Box, Heading, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { crawl } from "../../api/queries";
import type { Probe } from "../../api/types";
import { when } from "../../lib/format";
import { Empty, Failed, Loading } from "../../ui/States";

/** What the site answers where no link leads: front doors, made-up addresses, certificate. */
export function Doors() {
  const { site = "", crawl: number = "" } = useParams();
  const info = useQuery(crawl(site, number));
  if (info.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} retry={info.refetch} />;
  const p = info.data.probes;
  if (!p) return <Empty title="The front doors were not asked">The plan has probes switched off.</Empty>;
  const c = p.certificate;
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Heading as="h1" srOnly>
        Front doors
      </Heading>
      <Part title="Front doors" text="Each should lead to the one home page.">
        <Probes rows={p.doors} />
      </Part>
      {c && (
        <Part title="Certificate" text={`${c.names.join(", ")}, issued by ${c.issuer}.`}>
          <Text>
            Valid until {when(c.until)}; {c.version}, {c.protocol}.
          </Text>
        </Part>
      )}
      {p.missing && p.missing.length > 0 && (
        <Part title="Made-up addresses" text="What “not here” looks like in each of the larger folders.">
          <Probes rows={p.missing} />
        </Part>
      )}
      {p.favicon && (
        <Part title="Icon at its usual place">
          <Probes rows={[p.favicon]} />
        </Part>
      )}
    </Box>
  );
}

function Part({ title, text, children }: { title: string; text?: string; children: React.ReactNode }) {
  return (
    <Box as="section" aria-label={title} mb="6">
      <Heading as="h2" size="sm">
        {title}
      </Heading>
      {text && (
        <Text color="fg.muted" mb="2">
          {text}
        </Text>
      )}
      {children}
    </Box>
  );
}

function Probes({ rows }: { rows: Probe[] }) {
  const leads = rows.some((r) => r.hops?.length);
  return (
    <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel" tabIndex={0}>
      <Table.Root size="sm">
        <Table.Header>
          <Table.Row bg="bg.subtle">
            <Table.ColumnHeader>Address</Table.ColumnHeader>
            <Table.ColumnHeader>Answer</Table.ColumnHeader>
            {leads && <Table.ColumnHeader>Leads to</Table.ColumnHeader>}
            <Table.ColumnHeader>Title</Table.ColumnHeader>
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {rows.map((r) => (
            <Table.Row key={r.address} bg="bg.panel">
              <Table.Cell>{r.address}</Table.Cell>
              <Table.Cell>{r.status || r.detail}</Table.Cell>
              {leads && <Table.Cell>{r.hops?.join(" → ")}</Table.Cell>}
              <Table.Cell>{r.title}</Table.Cell>
            </Table.Row>
          ))}
        </Table.Body>
      </Table.Root>
    </Table.ScrollArea>
  );
}
