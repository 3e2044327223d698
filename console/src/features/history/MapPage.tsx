import { Box, Link, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { sectionMap } from "../../api/queries";
import { points, whole } from "../../lib/format";
import { Empty, Failed, Loading } from "../../ui/States";

const mostSections = 200;

/** Sections by group of checks: how many checks fail for every hundred pages. The stronger the colour, the sorer. */
export function MapPage() {
  const { site = "", crawl = "" } = useParams();
  const map = useQuery(sectionMap(site, crawl));
  if (map.isPending) return <Loading />;
  if (map.isError) return <Failed error={map.error} retry={map.refetch} />;
  const { sections, cells, groups } = map.data;
  if (sections.length === 0) return <Empty title="No pages to map">This crawl read no page.</Empty>;
  const at = new Map(cells.map((c) => [`${c.section} ${c.group}`, c.findings]));
  const used = groups.filter((g) => cells.some((c) => c.group === g));
  const base = `/sites/${site}/${crawl}`;
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Text mb="3" maxW="60rem">
        For each section (first folder) and group of checks: how many checks fail for every hundred pages. The
        stronger the colour, the sorer; a cell leads to its fixes.
      </Text>
      <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel" maxW="fit-content">
        <Table.Root size="sm" aria-label="Sections by group of checks">
          <Table.Header>
            <Table.Row bg="bg.subtle">
              <Table.ColumnHeader>Section</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Pages</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
              {used.map((g) => (
                <Table.ColumnHeader key={g} textAlign="center">
                  {g}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {sections.slice(0, mostSections).map((s) => (
              <Table.Row key={s.section} bg="bg.panel">
                <Table.Cell maxW="18rem" truncate title={s.section}>
                  <Link asChild color="accent">
                    <RouterLink to={`${base}/pages?section=${encodeURIComponent(s.section)}`}>
                      {s.section}
                    </RouterLink>
                  </Link>
                </Table.Cell>
                <Table.Cell textAlign="end">{whole(s.pages)}</Table.Cell>
                <Table.Cell textAlign="end">{s.health < 0 ? "–" : points(s.health)}</Table.Cell>
                {used.map((g) => (
                  <Sore
                    key={g}
                    findings={at.get(`${s.section} ${g}`)}
                    pages={s.pages}
                    to={`${base}?section=${encodeURIComponent(s.section)}&group=${g}`}
                    label={`${s.section}, ${g}`}
                  />
                ))}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
      {sections.length > mostSections && (
        <Text color="fg.muted" mt="2">
          {whole(sections.length - mostSections)} smaller sections are left out.
        </Text>
      )}
    </Box>
  );
}

interface SoreProps {
  findings?: [number, number, number];
  pages: number;
  to: string;
  label: string;
}

// How strong the colour is below a weight. The step to the strongest is wide, so that words are legible on all.
const depths = [
  [0.01, 8],
  [0.06, 16],
  [0.2, 27],
  [0.6, 42],
] as const;
const deepest = 72;

/** How sore a place is: by the severities, errors weighing most. */
function Sore({ findings, pages, to, label }: SoreProps) {
  const [errors, warnings, notices] = findings ?? [0, 0, 0];
  const all = errors + warnings + notices;
  if (all === 0) {
    return (
      <Table.Cell textAlign="center" color="fg.muted" aria-label={`${label}: none`}>
        ·
      </Table.Cell>
    );
  }
  const rate = (100 * all) / Math.max(1, pages);
  const weight = (errors + 0.4 * warnings + 0.1 * notices) / Math.max(1, pages);
  const depth = depths.find(([below]) => weight < below)?.[1] ?? deepest;
  return (
    <Table.Cell
      textAlign="center"
      bg={`color-mix(in srgb, var(--chakra-colors-severity-error) ${depth}%, transparent)`}
    >
      <Link asChild color={depth === deepest ? "bg" : "fg"}>
        <RouterLink to={to} title={`${errors} errors, ${warnings} warnings, ${notices} notices`}>
          {rate < 1 ? "<1" : whole(rate)}
        </RouterLink>
      </Link>
    </Table.Cell>
  );
}
