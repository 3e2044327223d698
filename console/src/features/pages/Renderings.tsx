import { Text } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { renderings } from "../../api/queries";
import { Built } from "../../ui/Built";
import { Part } from "./PageFacts";

/** What a browser made of a page, on each device, beside its source. */
export function Renderings({ address, home }: { address: string; home: string }) {
  const { site = "", crawl: number = "" } = useParams();
  const list = useQuery(renderings(site, number, address));
  if (list.isError) return <Text role="alert">{list.error.message}</Text>;
  const all = list.data?.renderings ?? [];
  if (all.length === 0) return null;
  return (
    <Part title="As a browser builds it">
      <Built all={all} home={home} />
    </Part>
  );
}
