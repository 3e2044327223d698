import { Box, Flex, Heading, Link } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { useParams } from "react-router";
import { checks, crawl, fixes, site as siteOf } from "../../api/queries";
import type { Fix, State } from "../../api/types";
import { count } from "../../lib/format";
import { isAtLeast, useMe } from "../../lib/me";
import { useFilters } from "../../lib/useFilters";
import { useLive } from "../../lib/useLive";
import { told, useWork, type Wish, type Worked } from "../../lib/useWork";
import { CrawlHead } from "../../ui/CrawlHead";
import { Empty, Failed, Loading } from "../../ui/States";
import { FilterRow } from "./FilterRow";
import { FixPanel } from "./FixPanel";
import { FixRows } from "./FixRows";
import { filterKeys } from "./filters";
import { WaiveDialog } from "./WaiveDialog";
import { type Notice, WorkBar } from "./WorkBar";

/** The worklist: health as a ledger, the fixes in order, the evidence beside them, and what is done. */
export function FixListPage() {
  const { site = "", crawl: number = "" } = useParams();
  const [filter, setFilter] = useFilters(filterKeys);
  const info = useQuery(crawl(site, number));
  const home = useQuery(siteOf(site));
  const catalogue = useQuery(checks(site));
  const { fix: open, ...narrowed } = filter;
  const list = useInfiniteQuery(fixes(site, number, narrowed));
  const work = useWork(site);
  useLive(site);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [waiving, setWaiving] = useState<Fix[]>();
  const [notice, setNotice] = useState<Notice>();
  const rows = useMemo(() => list.data?.pages.flatMap((p) => p.fixes) ?? [], [list.data]);
  const may = isAtLeast(useMe(), "consultant");
  const newest = may && info.data !== undefined && info.data.number === home.data?.latest;
  const say = (e: unknown) => setNotice({ text: e instanceof Error ? e.message : String(e) });
  const move = (some: Worked[], wish: Omit<Wish, "fixes">) =>
    work.move
      .mutateAsync({ fixes: some, ...wish })
      .then((m) => setNotice({ text: told(m, wish.to), batch: m.moved.length ? m.batch : undefined }))
      .catch(say);
  const recheck = (some: Worked[]) =>
    work.look
      .mutateAsync(some.map((f) => f.id))
      .then((r) => setNotice({ text: "", recheck: { crawl: r.crawl, number: r.number } }))
      .catch(say);
  const undo = () => {
    if (notice?.waivers) {
      Promise.all(notice.waivers.map((id) => work.unwaive.mutateAsync(id)))
        .then(() => setNotice({ text: "Taken back: it counts again." }))
        .catch(say);
    }
    if (notice?.batch === undefined) return;
    work.undo
      .mutateAsync(notice.batch)
      .then((m) => setNotice({ text: `Taken back: ${told(m)}` }))
      .catch(say);
  };
  const { fetchNextPage, hasNextPage, isFetchingNextPage } = list;
  const more = useCallback(() => {
    if (hasNextPage && !isFetchingNextPage) fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const chooseAll = async () => {
    let all = { data: list.data, hasNextPage };
    while (all.hasNextPage) all = await fetchNextPage();
    setChosen(new Set(all.data?.pages.flatMap((p) => p.fixes.map((f) => f.id))));
  };
  if (info.isPending) return <Loading />;
  if (info.isError) return <Failed error={info.error} />;
  if (!info.data.report?.scored) return <CrawlHead crawl={info.data} group="" choose={() => {}} />;
  const picked = rows.filter((f) => chosen.has(f.id));
  const total = list.data?.pages[0]?.total ?? 0;
  const left = list.data?.pages[0]?.waived ?? 0;
  const { order, ...narrowing } = narrowed;
  const filtered = Object.values(narrowing).some(Boolean);
  const act = (key: string, fix: Fix) => {
    const some = picked.length ? picked : [fix];
    const moves: Record<string, State> = { t: "taken", c: "claimed", o: "open" };
    const to = moves[key];
    if (to) move(some, { to });
    else if (key === "w") setWaiving(some);
    else if (key === "r") recheck(some);
    else if (key === "u") undo();
  };
  return (
    <Flex direction="column" height="100%" minH={{ base: "44rem", md: "0" }}>
      <Heading as="h1" srOnly>
        Fix list
      </Heading>
      <CrawlHead crawl={info.data} group={filter.group} choose={(group) => setFilter({ group })} />
      <FilterRow
        filter={filter}
        set={setFilter}
        groups={catalogue.data?.groups ?? []}
        total={total}
        shown={!list.isPending}
      />
      <Flex flex="1" minH="0" direction={{ base: "column", lg: "row" }} borderTopWidth="1px">
        <Flex direction="column" flex="1" minW="0" minH={{ base: "20rem", lg: "0" }}>
          <Box flex="1" minH="0">
            {list.isPending ? (
              <Loading />
            ) : list.isError ? (
              <Failed error={list.error} retry={list.refetch} />
            ) : rows.length === 0 ? (
              <Empty title={filtered ? "No fix like that" : "Nothing to fix"}>
                {filtered
                  ? "Take a filter off to see more."
                  : "No check found anything on the pages of this crawl."}
              </Empty>
            ) : (
              <FixRows
                fixes={rows}
                running={!order}
                total={total}
                open={open}
                choose={(id) => setFilter({ fix: id === open ? "" : id })}
                more={more}
                chosen={newest ? chosen : undefined}
                setChosen={setChosen}
                chooseAll={chooseAll}
                act={act}
              />
            )}
          </Box>
          {left > 0 && !filter.state && (
            <Box px={{ base: "3", md: "5" }} py="1" borderTopWidth="1px" fontSize="sm" color="fg.muted">
              {count(left, "line is", "lines are")} waived and left out.{" "}
              <Link as="button" color="accent" onClick={() => setFilter({ state: "waived" })}>
                Show what is waived
              </Link>
            </Box>
          )}
          <WorkBar
            site={site}
            chosen={picked}
            notice={notice}
            move={(to) => move(picked, { to })}
            assign={(assignee) => move(picked, { assignee })}
            waive={() => setWaiving(picked)}
            recheck={() => recheck(picked)}
            clear={() => setChosen(new Set())}
            undo={undo}
            dismiss={() => setNotice(undefined)}
            done={work.refresh}
          />
        </Flex>
        {open && (
          <FixPanel
            key={open}
            home={info.data.home}
            id={open}
            newest={newest}
            close={() => setFilter({ fix: "" })}
            move={(fix, wish) => move([fix], wish)}
            waive={(fix) => setWaiving([fix])}
            recheck={(fix) => recheck([fix])}
          />
        )}
      </Flex>
      {waiving && (
        <WaiveDialog
          site={site}
          crawl={number}
          fixes={waiving}
          waive={async (wishes) => {
            const done = await work.waive.mutateAsync(wishes);
            const n = done.reduce((sum, w) => sum + w.findings, 0);
            setNotice({
              text: `Waived: ${count(n, "finding counts", "findings count")} no more.`,
              waivers: done.map((w) => w.id),
            });
          }}
          close={() => setWaiving(undefined)}
        />
      )}
    </Flex>
  );
}
