import { Link, Table } from "@chakra-ui/react";
import { Link as RouterLink } from "react-router";
import type { Crawl, TrendPoint } from "../../api/types";
import { points, signed } from "../../lib/format";

/** A crawl by the rules of today: its health, the step from the one before, and what caused most of it. */
export function CrawlStep({ crawl, trend, judged }: { crawl: Crawl; trend: TrendPoint[]; judged: boolean }) {
  const at = trend.findIndex((p) => p.crawl === crawl.number);
  const now = trend[at];
  const before = trend[at - 1];
  const step = now?.scored && before?.scored ? now.health - before.health : undefined;
  const [first] = now?.parts ?? [];
  return (
    <>
      {judged && <Table.Cell textAlign="end">{now?.scored ? points(now.health) : "–"}</Table.Cell>}
      <Table.Cell textAlign="end" whiteSpace="nowrap">
        {step === undefined ? (
          "–"
        ) : (
          <Link asChild color="accent">
            <RouterLink to={`/sites/${crawl.site}/${crawl.number}/drift`}>
              {Math.abs(step) < 0.005 ? "none" : signed(step)}
            </RouterLink>
          </Link>
        )}
      </Table.Cell>
      <Table.Cell minW="14rem" title={now?.parts?.map((p) => `${signed(p.shown)} ${p.says}`).join("\n")}>
        {now?.note || (step !== undefined && first && `${signed(first.shown)} ${first.says}`)}
      </Table.Cell>
    </>
  );
}
