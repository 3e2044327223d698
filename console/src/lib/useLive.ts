import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, read } from "../api/client";
import { isAtLeast, useMe } from "./me";

const every = 4000; // milliseconds

/** Has what is shown of a site's fixes read anew when somebody else has worked at them. */
export function useLive(site: string) {
  const me = useMe();
  const client = useQueryClient();
  const { data: now } = useQuery({
    queryKey: ["pulse", site],
    queryFn: () =>
      read(api.GET("/sites/{site}/pulse", { params: { path: { site } } })).then((r) => r.changed ?? ""),
    refetchInterval: every,
    enabled: isAtLeast(me, "reader"),
  });
  const was = useRef(now);
  useEffect(() => {
    if (was.current !== undefined && now !== undefined && now !== was.current) {
      client.invalidateQueries({ queryKey: ["sites", site] });
    }
    was.current = now;
  }, [client, site, now]);
}
