import { Box, Flex, Grid, Heading, Text } from "@chakra-ui/react";
import type { Entry, Look, Verdict } from "../../api/types";
import { count } from "../../lib/format";
import { Built } from "../../ui/Built";
import { Outline, Places } from "../../ui/Evidence";
import { Sign } from "../../ui/Sign";

/** What came of looking: the answer, how it would show in results, the verdicts, the page's bones. */
export function LookResult({ look }: { look: Look }) {
  const facts = look.facts;
  if (!facts) return <Text>{look.detail || "There is nothing to look at."}</Text>;
  const failed = look.verdicts.filter((v) => v.state === "failed");
  const passed = look.verdicts.filter((v) => v.state === "passed");
  const rest = look.verdicts.filter((v) => v.state === "not-judged");
  return (
    <>
      <Box mb="4">
        <Text fontWeight="600" overflowWrap="anywhere">
          {facts.address}
        </Text>
        {look.hops?.map((h) => (
          <Text key={h} fontSize="sm" overflowWrap="anywhere">
            redirected to {h}
          </Text>
        ))}
        <Text color="fg.muted">
          {facts.status ? `status ${facts.status}, ${facts.type}` : `no answer: ${facts.detail}`} ·{" "}
          {look.indexable ? "search engines may show it" : `search engines may not show it: ${look.why}`}
          {facts.document && ` · ${count(facts.document.words, "word", "words")} of main text`}
        </Text>
      </Box>
      {facts.document && (
        <Grid templateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 3fr) minmax(0, 2fr)" }} gap="6">
          <Box minW="0">
            <Heading as="h2" size="md" mb="1">
              {count(failed.length, "check fails", "checks fail")}
            </Heading>
            {failed.length === 0 && <Text>Nothing that one page can tell is wrong here.</Text>}
            {failed.map((v) => (
              <Failure key={v.check} verdict={v} />
            ))}
            <Others title={`${passed.length} pass`} verdicts={passed} />
            <Others title={`${rest.length} are not judged`} verdicts={rest} />
          </Box>
          <Box minW="0">
            <Heading as="h2" size="md" mb="2">
              In a list of results
            </Heading>
            <InResults entry={look.desktop} where="On a desktop" width="600px" />
            <InResults entry={look.phone} where="On a telephone" width="340px" />
            <Heading as="h2" size="md" mt="5">
              Headings in order
            </Heading>
            {(facts.document.headings ?? []).length === 0 ? (
              <Text color="fg.muted">There are none.</Text>
            ) : (
              <Outline headings={facts.document.headings ?? []} />
            )}
            <Listing
              title={count(look.links.length, "link", "links")}
              rows={look.links.map((l) => [l.to || l.href || "", l.words || "(no words)"])}
            />
            <Listing
              title={count(look.loads.length, "file loaded", "files loaded")}
              rows={look.loads.map((l) => [l.address, l.role])}
            />
          </Box>
        </Grid>
      )}
      {look.renderings && look.renderings.length > 0 && (
        <>
          <Heading as="h2" size="md" mt="5" mb="2">
            As a browser builds it
          </Heading>
          <Built all={look.renderings} home={facts.address} />
        </>
      )}
    </>
  );
}

function Failure({ verdict: v }: { verdict: Verdict }) {
  return (
    <Box borderBottomWidth="1px" py="2">
      <Flex gap="2" align="baseline">
        <Sign severity={v.severity} />
        <Text fontWeight="600">{v.title}</Text>
        <Text color="fg.muted" fontSize="sm" ml="auto" flex="none">
          {v.check}
        </Text>
      </Flex>
      <Box pl="6">
        <Places places={v.places ?? []} home="" base="" />
      </Box>
    </Box>
  );
}

function Others({ title, verdicts }: { title: string; verdicts: Verdict[] }) {
  if (verdicts.length === 0) return null;
  return (
    <Box as="details" mt="3">
      <Box as="summary" cursor="pointer" fontWeight="600">
        {title}
      </Box>
      {verdicts.map((v) => (
        <Box key={v.check} py="1" pl="4" fontSize="sm">
          <b>{v.check}</b> <Box as="span">{v.title}</Box>
          <Text color="fg.muted">{v.steps.at(-1)}</Text>
        </Box>
      ))}
    </Box>
  );
}

function InResults({ entry, where, width }: { entry: Entry; where: string; width: string }) {
  return (
    <Box mb="3">
      <Text fontSize="sm" color="fg.muted">
        {where}
        {(entry.titleCut || entry.aboutCut) &&
          `: ${[entry.titleCut && "title", entry.aboutCut && "description"].filter(Boolean).join(" and ")} cut`}
      </Text>
      <Box borderWidth="1px" bg="bg.panel" p="3" maxW={width}>
        <Text fontSize="xs" color="fg.muted" overflowWrap="anywhere">
          {entry.address}
        </Text>
        <Text fontSize="lg" color="accent" lineHeight="1.3">
          {entry.title || "(no title)"}
        </Text>
        <Text fontSize="sm">{entry.about || "(no description: search engines choose a passage)"}</Text>
      </Box>
    </Box>
  );
}

const most = 200;

function Listing({ title, rows }: { title: string; rows: [string, string][] }) {
  return (
    <Box as="details" mt="4">
      <Box as="summary" cursor="pointer" fontWeight="600">
        {title}
      </Box>
      {rows.slice(0, most).map(([address, words], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the same link may stand twice
        <Flex key={i} gap="3" fontSize="sm" minW="0">
          <Text flex="2" minW="0" truncate title={address}>
            {address}
          </Text>
          <Text flex="1" minW="0" truncate color="fg.muted">
            {words}
          </Text>
        </Flex>
      ))}
      {rows.length > most && <Text fontSize="sm">and {rows.length - most} more</Text>}
    </Box>
  );
}
