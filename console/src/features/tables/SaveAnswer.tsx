import { Button } from "@chakra-ui/react";
import { useState } from "react";
import { api, read } from "../../api/client";
import type { Asked } from "../../api/queries";
import type { Answer } from "../../api/types";
import { said } from "./wording";

interface Props {
  site: string;
  number: string;
  asked: Asked;
}

const most = 100_000; // rows in a file

/** A cell of a CSV file (RFC 4180), that no spreadsheet takes for a formula. */
function cell(text: string): string {
  const safe = /^[=+\-@\t\r]/.test(text) && Number.isNaN(Number(text)) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replace(/"/g, '""')}"` : safe;
}

const plain = (v: unknown): string =>
  typeof v === "number" ? String(v) : said({ name: "", label: "", kind: "words" }, v);

function lines(parts: Answer[]): string[][] {
  const [first] = parts;
  if (!first) return [];
  if (first.by?.name) {
    return [
      [first.by.label, first.of, "share"],
      ...(first.groups ?? []).map((g) => [plain(g.value), String(g.count), String(g.share)]),
    ];
  }
  return [first.columns.map((c) => c.label), ...parts.flatMap((p) => p.rows.map((r) => r.map(plain)))];
}

/** Saves the whole answer as CSV. */
export function SaveAnswer({ site, number, asked }: Props) {
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState("");
  const save = async () => {
    setBusy(true);
    setFault("");
    try {
      const parts: Answer[] = [];
      for (let after: number | undefined = 0; after !== undefined && after < most; ) {
        const part: Answer = await read(
          api.GET("/sites/{site}/crawls/{crawl}/ask", {
            params: { path: { site, crawl: number }, query: { ...asked, after, limit: 10_000 } },
          }),
        );
        parts.push(part);
        after = part.next || undefined;
      }
      const text = lines(parts)
        .map((row) => row.map(cell).join(","))
        .join("\r\n");
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([`${text}\r\n`], { type: "text/csv" }));
      link.download = `${site}-${asked.of ?? "pages"}.csv`;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (e) {
      setFault(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Button size="xs" variant="outline" loading={busy} title={fault || undefined} onClick={save}>
      {fault ? "Could not be saved" : "Save as CSV"}
    </Button>
  );
}
