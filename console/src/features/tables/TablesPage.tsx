import { Box, Button, Flex, Heading } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { answer, crawl, facts, views } from "../../api/queries";
import type { Fact, FactTable, View } from "../../api/types";
import { count } from "../../lib/format";
import { useFilters } from "../../lib/useFilters";
import { May } from "../../ui/May";
import { QuestionLine } from "../../ui/QuestionLine";
import { Select } from "../../ui/Select";
import { Empty, Failed, Loading } from "../../ui/States";
import { AnswerRows } from "./AnswerRows";
import { Builder } from "./Builder";
import { ChosenBar } from "./ChosenBar";
import { FactChoice } from "./FactChoice";
import { Grouping } from "./Grouping";
import { GroupRows } from "./GroupRows";
import { KeepView } from "./KeepView";
import { MakeCheck } from "./MakeCheck";
import { NotUnderstood } from "./NotUnderstood";
import { SaveAnswer } from "./SaveAnswer";
import { isNumber, tableOf } from "./wording";

const keys = ["of", "question", "columns", "order", "by", "measure"] as const;

/** Any question over the facts of a crawl, as a table or in groups; all of it stands in the address bar. */
export function TablesPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [asked, set] = useFilters(keys);
  const known = useQuery(facts());
  const table = tableOf(known.data?.tables ?? [], asked.of);
  if (known.isPending) return <Loading />;
  if (known.isError) return <Failed error={known.error} retry={known.refetch} />;
  if (!table) return <Empty title={`There is no table ${asked.of}`}>Choose another.</Empty>;
  return (
    <Asking
      site={site}
      number={number}
      asked={asked}
      set={set}
      tables={known.data.tables}
      comparisons={known.data.comparisons}
      table={table}
    />
  );
}

type Asked = Record<(typeof keys)[number], string>;

interface AskingProps {
  site: string;
  number: string;
  asked: Asked;
  set: (changes: Partial<Asked>) => void;
  tables: FactTable[];
  comparisons: Parameters<typeof Builder>[0]["comparisons"];
  table: FactTable;
}

function Asking({ site, number, asked, set, tables, comparisons, table }: AskingProps) {
  const info = useQuery(crawl(site, number));
  const kept = useQuery(views(site));
  const list = useInfiniteQuery(answer(site, number, { ...asked, of: table.name }));
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [dialog, setDialog] = useState<"" | "view" | "check">("");
  const first = list.data?.pages[0];
  const rows = list.data?.pages.flatMap((p) => p.rows) ?? [];
  const home = info.data?.home ?? "";
  const base = `/sites/${site}/${number}`;
  // Words start from A, numbers from the highest; the next click turns it round, the third takes it off.
  const sortBy = (f: Fact) => {
    const order = isNumber(f) ? [`-${f.name}`, f.name] : [f.name, `-${f.name}`];
    set({ order: order[order.indexOf(asked.order) + 1] ?? "" });
  };
  const show = (v: View) =>
    set({
      of: v.of,
      question: v.question,
      columns: (v.columns ?? []).join(","),
      order: v.order ?? "",
      by: v.by ?? "",
      measure: v.measure ?? "",
    });
  const rowsOf = (question: string) =>
    `${base}/tables?${new URLSearchParams({ of: table.name, question, ...(asked.columns && { columns: asked.columns }) })}`;
  return (
    <Flex direction="column" height="100%" minH="0">
      <Heading as="h1" srOnly>
        Tables
      </Heading>
      <Flex direction="column" gap="2" px={{ base: "3", md: "5" }} py="2">
        <Flex gap="2" wrap="wrap" align="center">
          <Select
            label="Table"
            width="9rem"
            value={table.name}
            set={(of) => set({ of, question: "", columns: "", order: "", by: "", measure: "" })}
            options={tables.map((t) => [t.name, t.name])}
          />
          <Select
            label="View"
            width="14rem"
            value=""
            set={(name) => {
              const v = kept.data?.find((one) => one.name === name);
              if (v) show(v);
            }}
            options={[["", "views…"], ...(kept.data ?? []).map((v): [string, string] => [v.name, v.name])]}
          />
          <Grouping table={table} by={asked.by} measure={asked.measure} set={set} />
          {!asked.by && (
            <FactChoice
              table={table}
              shown={first?.columns.map((c) => c.name) ?? []}
              set={(names) => set({ columns: names.join(",") })}
            />
          )}
          <Flex gap="2" ml={{ md: "auto" }} align="center" wrap="wrap">
            <Box color="fg.muted" fontSize="sm" role="status">
              {first &&
                !list.isError &&
                count(first.total, table.one, table.name === "data" ? "items" : table.name)}
              {first?.unjudged ? `, ${first.unjudged} cannot be told: ${first.fault}` : ""}
            </Box>
            <May as="consultant">
              <Button size="xs" variant="outline" onClick={() => setDialog("view")}>
                Keep as a view…
              </Button>
              <Button
                size="xs"
                variant="outline"
                disabled={
                  !asked.question || !["pages", "resources", "links", "redirects"].includes(table.name)
                }
                onClick={() => setDialog("check")}
              >
                Make it a check…
              </Button>
            </May>
            <SaveAnswer site={site} number={number} asked={{ ...asked, of: table.name }} />
          </Flex>
        </Flex>
        <QuestionLine table={table} value={asked.question} ask={(question) => set({ question })} />
        <Builder
          table={table}
          comparisons={comparisons}
          question={asked.question}
          ask={(question) => set({ question })}
        />
      </Flex>
      <May as="consultant">
        <ChosenBar site={site} chosen={chosen} clear={() => setChosen(new Set())} />
      </May>
      {list.isPending ? (
        <Loading />
      ) : list.isError ? (
        <NotUnderstood error={list.error} retry={list.refetch} />
      ) : first && (first.total === 0 || (asked.by && !first.groups?.length)) ? (
        <Empty title={`None of the ${table.name}`}>
          {asked.question ? "The question holds of none of them." : "There are none in this crawl."}
        </Empty>
      ) : asked.by && first ? (
        <GroupRows answer={first} home={home} rowsOf={rowsOf} />
      ) : (
        first && (
          <AnswerRows
            of={table.name}
            columns={first.columns}
            rows={rows}
            total={first.total}
            home={home}
            base={base}
            order={asked.order}
            sortBy={sortBy}
            chosen={chosen}
            toggle={(address) => {
              const next = new Set(chosen);
              if (!next.delete(address)) next.add(address);
              setChosen(next);
            }}
            more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
          />
        )
      )}
      {dialog === "view" && (
        <KeepView site={site} asked={{ ...asked, of: table.name }} close={() => setDialog("")} />
      )}
      {dialog === "check" && (
        <MakeCheck
          site={site}
          crawl={number}
          table={table}
          question={asked.question}
          close={() => setDialog("")}
        />
      )}
    </Flex>
  );
}
