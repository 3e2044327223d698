import { Box, Button, Field, Input, Text, Textarea } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { layouts as layoutsOf } from "../../api/queries";
import type { Fix, WaiverScope } from "../../api/types";
import { count, shortAddress } from "../../lib/format";
import type { WaiverWish } from "../../lib/useWork";
import { DialogFrame } from "../../ui/DialogFrame";
import { Select } from "../../ui/Select";

interface Props {
  site: string;
  crawl: string;
  fixes: Pick<Fix, "id" | "check" | "line" | "example">[];
  waive: (wishes: WaiverWish[]) => Promise<unknown>;
  close: () => void;
}

/** The first folder of an address, or "/". */
function folderOf(address: string): string {
  try {
    return /^\/[^/]+\//.exec(new URL(address).pathname)?.[0] ?? "/";
  } catch {
    return "/";
  }
}

/** Asks what is to be left, why, and until when. */
export function WaiveDialog({ site, crawl, fixes, waive, close }: Props) {
  const [first] = fixes;
  const checks = [...new Set(fixes.map((f) => f.check))];
  const [scope, setScope] = useState<WaiverScope>("fix");
  const [on, setOn] = useState("");
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const layouts = useQuery(layoutsOf(site, crawl)).data ?? [];
  const scopes: [WaiverScope, string][] = [
    ["fix", fixes.length === 1 ? "this line of the list" : `these ${fixes.length} lines of the list`],
    ["check", `${checks.join(", ")}, on the whole site`],
    ["section", `${checks.join(", ")}, in a folder`],
    ["pattern", `${checks.join(", ")}, on addresses of a pattern`],
    ["layout", `${checks.join(", ")}, in a layout`],
    ["page", `${checks.join(", ")}, on one page`],
  ];
  const suggest = (s: WaiverScope) => {
    setScope(s);
    const example = first?.example ?? "";
    const fitting = {
      section: folderOf(example),
      page: example,
      pattern: `${folderOf(example)}*`,
      layout: layouts[0]?.name,
    };
    setOn(fitting[s as keyof typeof fitting] ?? "");
  };
  const send = async () => {
    setBusy(true);
    setFault("");
    const more = { reason, until: until || undefined };
    const wishes: WaiverWish[] =
      scope === "fix"
        ? fixes.map((f) => ({ ...more, scope, on: f.id }))
        : checks.map((check) => ({ ...more, scope, check, on: scope === "check" ? undefined : on }));
    try {
      await waive(wishes);
      close();
    } catch (e) {
      setFault(e instanceof Error ? e.message : String(e));
      setBusy(false);
    }
  };
  return (
    <DialogFrame
      title="Leave it as it is"
      size="md"
      close={close}
      buttons={
        <>
          <Button size="sm" variant="outline" onClick={close}>
            Cancel
          </Button>
          <Button
            size="sm"
            bg="accent"
            color="accent.text"
            loading={busy}
            disabled={!reason.trim()}
            onClick={send}
          >
            Waive
          </Button>
        </>
      }
    >
      <Text mb="3" overflowWrap="anywhere">
        {fixes.length === 1 ? first?.line : count(fixes.length, "fix", "fixes")}
      </Text>
      <Field.Root mb="3">
        <Field.Label>What is to be left</Field.Label>
        <Select value={scope} set={suggest} options={scopes} />
      </Field.Root>
      {scope === "layout" && (
        <Field.Root mb="3">
          <Field.Label>Layout</Field.Label>
          <Select
            value={on}
            set={setOn}
            options={layouts.map((l) => [
              l.name,
              `${l.name}: ${count(l.pages, "page", "pages")}, such as ${shortAddress(l.example, l.example)}`,
            ])}
          />
        </Field.Root>
      )}
      {scope !== "fix" && scope !== "check" && scope !== "layout" && (
        <Field.Root mb="3">
          <Field.Label>
            {{ section: "Folder", pattern: "Pattern", page: "Address" }[scope as string]}
          </Field.Label>
          <Input size="sm" value={on} onChange={(e) => setOn(e.target.value)} />
        </Field.Root>
      )}
      <Field.Root mb="3" required>
        <Field.Label>Why this is fine as it is</Field.Label>
        <Textarea size="sm" rows={2} value={reason} onChange={(e) => setReason(e.target.value)} />
      </Field.Root>
      <Field.Root>
        <Field.Label>Until the end of this day (for good if empty)</Field.Label>
        <Input size="sm" type="date" value={until} onChange={(e) => setUntil(e.target.value)} />
      </Field.Root>
      {fault && (
        <Box role="alert" color="severity.error" mt="3">
          {fault}
        </Box>
      )}
    </DialogFrame>
  );
}
