import { Box, Button, Field, Heading, Input, Link, Text } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { download } from "../../api/client";
import { exportPath } from "../../api/queries";
import type { Severity } from "../../api/types";
import { useWords } from "../../lib/useWords";
import { Select } from "../../ui/Select";
import { Refused } from "../../ui/States";
import { Ticks } from "../../ui/Ticks";

const severities: Severity[] = ["error", "warning", "notice"];

/** A crawl's results as a file to hand over. */
export function ExportPage() {
  const { site = "", crawl = "" } = useParams();
  const [as, setAs] = useState<string>("xlsx");
  const { forms, sheets } = useWords();
  const form = forms.find((f) => f.name === as);
  const [chosen, setChosen] = useState<string[]>(); // none until something was chosen
  const wanted = chosen ?? form?.usual ?? [];
  const [picked, setPicked] = useState<string>();
  const one = picked ?? form?.usual?.[0] ?? "";
  const [severity, setSeverity] = useState<Severity[]>([...severities]);
  const [section, setSection] = useState("");
  const params: Record<string, string> = { as };
  if (form?.takes === "one") params.sheets = one;
  else if (form?.takes === "several") params.sheets = wanted.join(",");
  if (severity.length < severities.length) params.severity = severity.join(",");
  if (section) params.section = section;
  const fetching = useMutation({ mutationFn: () => download(exportPath(site, crawl, params)) });
  const empty = severity.length === 0 || (form?.takes === "several" && wanted.length === 0);
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="44rem">
      <Heading as="h1" size="lg" mb="1">
        Hand over
      </Heading>
      <Text color="fg.muted" mb="4">
        Files for those who mend. For the one who pays, there is{" "}
        <Link asChild color="accent">
          <RouterLink to="../report">a report</RouterLink>
        </Link>
        .
      </Text>
      <Field.Root mb="4">
        <Field.Label>Form</Field.Label>
        <Select width="20rem" value={as} set={setAs} options={forms.map((f) => [f.name, f.says] as const)} />
      </Field.Root>
      {form?.takes === "one" && (
        <Field.Root mb="4">
          <Field.Label>Sheet</Field.Label>
          <Select width="20rem" value={one} set={setPicked} options={sheets.map((s) => [s, s] as const)} />
        </Field.Root>
      )}
      {form?.takes === "several" && <Ticks label="Sheets" all={sheets} chosen={wanted} set={setChosen} />}
      <Ticks
        label="Severities"
        all={severities}
        chosen={severity}
        set={(s) => setSeverity(s as Severity[])}
      />
      <Field.Root mb="4">
        <Field.Label>Only below these folders, with commas between</Field.Label>
        <Input
          size="sm"
          width="20rem"
          bg="bg.panel"
          placeholder="all, or such as /plants/,/shop/"
          value={section}
          onChange={(e) => setSection(e.target.value)}
        />
      </Field.Root>
      {empty ? (
        <Text color="fg.muted">Choose at least one sheet and one severity.</Text>
      ) : (
        <Button
          size="sm"
          bg="accent"
          color="accent.text"
          loading={fetching.isPending}
          onClick={() => fetching.mutate()}
        >
          Fetch the file
        </Button>
      )}
      <Refused error={fetching.error} mt="3" />
    </Box>
  );
}
