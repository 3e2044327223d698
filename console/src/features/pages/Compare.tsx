import { Box, Grid, Heading, Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams, useSearchParams } from "react-router";
import { comparison } from "../../api/queries";
import { count } from "../../lib/format";
import { Failed, Loading } from "../../ui/States";

/** Two pages' texts side by side; what only one of them says stands out. */
export function Compare() {
  const { site = "", crawl = "" } = useParams();
  const [params] = useSearchParams();
  const two = useQuery(comparison(site, crawl, params.get("a") ?? "", params.get("b") ?? ""));
  if (two.isPending) return <Loading />;
  if (two.isError) return <Failed error={two.error} retry={two.refetch} />;
  const d = two.data;
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Heading as="h1" size="lg">
        {Math.floor(d.likeness * 100)} % alike
      </Heading>
      <Text color="fg.muted" mb="3">
        The share of five-word runs that both texts have. What only one of them says is marked.
      </Text>
      <Grid templateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }} gap="5">
        <Side address={d.a} words={d.wordsA} side="a" passages={d.passages} />
        <Side address={d.b} words={d.wordsB} side="b" passages={d.passages} />
      </Grid>
    </Box>
  );
}

interface SideProps {
  address: string;
  words: number;
  side: "a" | "b";
  passages: { in: "both" | "a" | "b"; text: string }[];
}

function Side({ address, words, side, passages }: SideProps) {
  return (
    <Box minW="0">
      <Text fontWeight="600" overflowWrap="anywhere">
        {address}
      </Text>
      <Text color="fg.muted" mb="2">
        {count(words, "word", "words")}
      </Text>
      <Box borderWidth="1px" bg="bg.panel" p="3" overflowWrap="anywhere">
        {passages
          .filter((p) => p.in === "both" || p.in === side)
          .map((p, i) => (
            <Box
              as={p.in === "both" ? "span" : "mark"}
              // biome-ignore lint/suspicious/noArrayIndexKey: passages have no other identity, and never change
              key={i}
              bg={p.in === "both" ? undefined : "accent.soft"}
              color="fg"
            >
              {p.text}{" "}
            </Box>
          ))}
      </Box>
    </Box>
  );
}
