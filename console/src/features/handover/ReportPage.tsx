import { Box, Button, Field, Flex, Heading, Input, Link, Text, Textarea } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { makeReport } from "../../api/client";
import { useMe } from "../../lib/me";
import { useWords } from "../../lib/useWords";
import { Faults } from "../../ui/States";
import { Ticks } from "../../ui/Ticks";

const severities = ["error", "warning", "notice"];

/** What a client reads of a crawl, put together. */
export function ReportPage() {
  const { site = "", crawl = "" } = useParams();
  const me = useMe();
  const { parts } = useWords();
  const [form, setForm] = useState({ title: "", client: "", words: "", summary: "", fixes: "10" });
  const [by, setBy] = useState<string>();
  const [left, setLeft] = useState<string[]>([]); // parts that are not wanted
  const [told, setTold] = useState(severities);
  const put = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const make = useMutation({
    mutationFn: (as: "html" | "pdf") =>
      makeReport(site, crawl, as, {
        title: form.title,
        client: form.client,
        by: by ?? me?.name ?? "",
        words: form.words,
        parts: left.length > 0 ? parts.map((p) => p.name).filter((p) => !left.includes(p)) : [],
        fixes: Number(form.fixes) || 0,
        comments: form.summary ? { summary: form.summary } : {},
        leaveOut: { severities: severities.filter((s) => !told.includes(s)) },
      }),
  });
  const line = (label: string, value: string, set: (v: string) => void, hint?: string) => (
    <Field.Root mb="3" maxW="30rem">
      <Field.Label>{label}</Field.Label>
      <Input size="sm" bg="bg.panel" placeholder={hint} value={value} onChange={(e) => set(e.target.value)} />
    </Field.Root>
  );
  const area = (label: string, value: string, set: (v: string) => void) => (
    <Field.Root mb="3">
      <Field.Label>{label}</Field.Label>
      <Textarea size="sm" rows={3} bg="bg.panel" value={value} onChange={(e) => set(e.target.value)} />
    </Field.Root>
  );
  const button = (as: "html" | "pdf", words: string) => (
    <Button
      size="sm"
      bg="accent"
      color="accent.text"
      loading={make.isPending && make.variables === as}
      onClick={() => make.mutate(as)}
    >
      {words}
    </Button>
  );
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="44rem">
      <Heading as="h1" size="lg" mb="1">
        A report for the client
      </Heading>
      <Text color="fg.muted" mb="4">
        How the site stands, what to do first, what has changed. What is waived is left out. For those who
        mend it,{" "}
        <Link asChild color="accent">
          <RouterLink to="../export">hand over a file</RouterLink>
        </Link>
        .
      </Text>
      {line("For whom", form.client, (client) => put({ client }), "Fernhollow Botanic Garden")}
      {line("By whom", by ?? me?.name ?? "", setBy)}
      {line("Title", form.title, (title) => put({ title }), "the usual")}
      {area("Words on the cover, as Markdown", form.words, (words) => put({ words }))}
      {area("Words before the summary, as Markdown", form.summary, (summary) => put({ summary }))}
      {line("Fixes that are told in full", form.fixes, (fixes) => put({ fixes }))}
      <Ticks
        label="Parts"
        all={parts.map((p) => p.says)}
        chosen={parts.filter((p) => !left.includes(p.name)).map((p) => p.says)}
        set={(says) => setLeft(parts.filter((p) => !says.includes(p.says)).map((p) => p.name))}
      />
      <Ticks label="Severities" all={severities} chosen={told} set={setTold} />
      <Flex gap="2">
        {button("pdf", "Make a PDF")}
        {button("html", "Make an HTML file")}
      </Flex>
      <Faults error={make.error} />
    </Box>
  );
}
