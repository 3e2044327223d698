import { Box, Heading, Link, Table, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { layouts as layoutsOf, sectionMap } from "../../api/queries";
import { points, whole } from "../../lib/format";
import { Address } from "../../ui/Address";
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
      <Heading as="h1" srOnly>
        Map
      </Heading>
      <Text mb="3" maxW="60rem">
        For each section (a folder) and group of checks: how many checks fail for every hundred pages. The
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
                    <RouterLink
                      to={`${base}/tables?${new URLSearchParams({ of: "pages", question: `path.startsWith(${JSON.stringify(s.section)})` })}`}
                    >
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
                    to={`${base}/fixes?section=${encodeURIComponent(s.section)}&group=${g}`}
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
      <Layouts site={site} crawl={crawl} />
    </Box>
  );
}

interface LayoutsProps {
  site: string;
  crawl: string;
}

/** The templates that the pages are built from: what is wrong in one of them is wrong on all its pages. */
function Layouts({ site, crawl }: LayoutsProps) {
  const layouts = useQuery(layoutsOf(site, crawl));
  if (layouts.isPending) return <Loading />;
  if (layouts.isError) return <Failed error={layouts.error} retry={layouts.refetch} />;
  if (layouts.data.length === 0) return null;
  return (
    <>
      <Heading as="h2" size="md" mt="6" mb="2">
        Layouts
      </Heading>
      <Text mb="3" maxW="60rem">
        Pages that are built alike, and so probably from one template. Their names last from crawl to crawl.
      </Text>
      <Table.ScrollArea borderWidth="1px" rounded="sm" bg="bg.panel" maxW="fit-content">
        <Table.Root size="sm" aria-label="Layouts">
          <Table.Header>
            <Table.Row bg="bg.subtle">
              <Table.ColumnHeader>Layout</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Pages</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Health</Table.ColumnHeader>
              <Table.ColumnHeader textAlign="end">Errors</Table.ColumnHeader>
              <Table.ColumnHeader>Such as</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {layouts.data.map((l) => (
              <Table.Row key={l.name} bg="bg.panel">
                <Table.Cell>{l.name}</Table.Cell>
                <Table.Cell textAlign="end">{whole(l.pages)}</Table.Cell>
                <Table.Cell textAlign="end">{points(l.health)}</Table.Cell>
                <Table.Cell textAlign="end">{whole(l.errors)}</Table.Cell>
                <Table.Cell maxW="28rem">
                  <Address
                    address={l.example}
                    home={l.example}
                    to={`/sites/${site}/${crawl}/page?address=${encodeURIComponent(l.example)}`}
                  />
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Table.ScrollArea>
    </>
  );
}

interface SoreProps {
  findings?: number[];
  pages: number;
  to: string;
  label: string;
}

// How strong the colour is below a weight. The step to the strongest is wide, so that words are legible on all.
const depths = [
  [0.01, 8],
  [0.06, 16],
  [0.2, 27],
  [0.6, 40],
] as const;
const deepest = 78;

/** How sore a place is: by the severities, errors weighing most. */
function Sore({ findings, pages, to, label }: SoreProps) {
  const [errors = 0, warnings = 0, notices = 0] = findings ?? [];
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
