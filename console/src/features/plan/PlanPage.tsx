import { Box, Button, Flex, Heading, Link, SimpleGrid, Text, Textarea } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { api, type Fault, planText, read } from "../../api/client";
import { May } from "../../ui/May";
import { Failed, Loading, Refused } from "../../ui/States";
import { PlanForm } from "./PlanForm";
import { PreviewPanel } from "./PreviewPanel";
import { Secrets } from "./Secrets";
import { usePlan } from "./usePlan";

/** How a site is crawled: as a form and as text, side by side, with a look before the start. */
export function PlanPage() {
  const { site = "" } = useParams();
  const p = usePlan(site);
  const preview = useMutation({
    mutationFn: () =>
      read(api.POST("/sites/{site}/plan/preview", { params: { path: { site } }, ...planText(p.text) })),
  });
  if (p.stored.isError) return <Failed error={p.stored.error} retry={p.stored.refetch} />;
  if (p.stored.isPending || !p.draft) return <Loading />;
  const sound = p.faults.length === 0;
  return (
    <Box px={{ base: "3", md: "5" }} py="4">
      <Flex align="baseline" gap="3" wrap="wrap" mb="3">
        <Heading as="h1" size="xl" mr="auto">
          Plan of{" "}
          <Link asChild color="accent">
            <RouterLink to={`/sites/${site}`}>{site}</RouterLink>
          </Link>
        </Heading>
        <Text color="fg.muted" role="status">
          {p.save.isSuccess && !p.changed ? "Saved." : p.changed ? "Not saved yet." : ""}
        </Text>
        <May as="consultant">
          <Button
            size="sm"
            variant="outline"
            disabled={!sound}
            loading={preview.isPending}
            loadingText="Looking at the site"
            onClick={() => preview.mutate()}
          >
            Preview
          </Button>
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            disabled={!sound || !p.changed}
            loading={p.save.isPending}
            onClick={() => p.save.mutate()}
          >
            Save the plan
          </Button>
        </May>
      </Flex>
      <Faults faults={p.faults} />
      <Refused error={p.save.error ?? preview.error} mb="3" />
      {preview.data && <PreviewPanel preview={preview.data} pages={p.draft.pages} />}
      <SimpleGrid columns={{ base: 1, lg: 2 }} gap="6" alignItems="start">
        <PlanForm plan={p.draft} set={p.set} />
        <Box>
          <Heading as="h2" size="sm" mb="1">
            The same as text
          </Heading>
          <Text color="fg.muted" fontSize="sm" mb="2">
            YAML or JSON. What is left out has its default.
          </Text>
          <Textarea
            aria-label="Plan as text"
            aria-invalid={!sound}
            fontFamily="mono"
            fontSize="sm"
            bg="bg.panel"
            spellCheck={false}
            rows={22}
            value={p.text}
            placeholder={"pages: 500\nscope:\n  exclude: [/cart*]"}
            onChange={(e) => p.write(e.target.value)}
          />
          <May as="consultant">
            <Secrets site={site} />
          </May>
        </Box>
      </SimpleGrid>
    </Box>
  );
}

function Faults({ faults }: { faults: Fault[] }) {
  if (faults.length === 0) return null;
  return (
    <Box role="alert" borderLeftWidth="4px" borderColor="severity.error" bg="bg.panel" px="3" py="2" mb="4">
      {faults.map((f) => (
        <Text key={`${f.field} ${f.reason}`}>
          {f.line ? `Line ${f.line}, column ${f.column}: ` : ""}
          {f.field && <b>{f.field}: </b>}
          {f.reason}
        </Text>
      ))}
    </Box>
  );
}
