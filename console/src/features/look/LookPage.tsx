import { Box, Button, Checkbox, Flex, Grid, Heading, Input, Text, Textarea } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";
import { api, read } from "../../api/client";
import { Failed, Loading } from "../../ui/States";
import { LookResult } from "./LookResult";

const sources = [
  ["address", "An address"],
  ["html", "Its HTML"],
] as const;

/** One page, fetched or pasted, judged at once and without a site. */
export function LookPage() {
  const [params, setParams] = useSearchParams();
  const [address, setAddress] = useState(params.get("address") ?? "");
  const [html, setHTML] = useState("");
  const [source, setSource] = useState<"address" | "html">("address");
  const [render, setRender] = useState(false);
  const look = useMutation({
    mutationFn: () =>
      read(
        api.POST("/look", {
          body: source === "html" ? { address, html } : { address: whole(address), render },
        }),
      ),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (source === "address") setParams({ address: whole(address) }, { replace: true });
    look.mutate();
  };
  return (
    <Box px={{ base: "3", md: "5" }} py="5" maxW="76rem">
      <Heading as="h1" size="xl">
        Look at one page
      </Heading>
      <Text color="fg.muted" mb="3">
        What fails and what passes, without a crawl. What only the whole site can tell is not judged.
      </Text>
      <form onSubmit={submit}>
        <Flex gap="2">
          {sources.map(([value, words]) => (
            <Button
              key={value}
              type="button"
              size="xs"
              variant="outline"
              bg={source === value ? "accent.soft" : undefined}
              color="fg"
              aria-pressed={source === value}
              onClick={() => setSource(value)}
            >
              {words}
            </Button>
          ))}
        </Flex>
        <Flex gap="2" mt="2" direction={{ base: "column", sm: "row" }}>
          <Input
            flex={{ base: "none", sm: "1" }}
            value={address}
            onChange={(e) => setAddress(e.target.value)}
            aria-label={source === "html" ? "Address that the HTML is to be taken for" : "Address"}
            placeholder={source === "html" ? "taken for https://… (may be left out)" : "https://…"}
            bg="bg.panel"
          />
          <Button
            type="submit"
            bg="accent"
            color="accent.text"
            loading={look.isPending}
            disabled={source === "html" ? !html : !address}
          >
            Look
          </Button>
        </Flex>
        {source === "address" && (
          <Checkbox.Root mt="2" checked={render} onCheckedChange={(d) => setRender(d.checked === true)}>
            <Checkbox.HiddenInput />
            <Checkbox.Control />
            <Checkbox.Label>
              make it in a browser, too: what scripts change, how soon it stands, how it fits a phone
            </Checkbox.Label>
          </Checkbox.Root>
        )}
        {source === "html" && (
          <Textarea
            mt="2"
            rows={8}
            value={html}
            onChange={(e) => setHTML(e.target.value)}
            aria-label="HTML of the page"
            placeholder="<!doctype html>…"
            fontFamily="mono"
            fontSize="sm"
            bg="bg.panel"
          />
        )}
      </form>
      <Grid mt="5">
        {look.isPending && <Loading />}
        {look.isError && <Failed error={look.error} retry={() => look.mutate()} />}
        {look.data && !look.isPending && <LookResult look={look.data} />}
      </Grid>
    </Box>
  );
}

/** People leave the scheme away. */
const whole = (address: string) =>
  /^https?:\/\//i.test(address) || !address ? address : `https://${address}`;
