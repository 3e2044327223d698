// What the console asks about watching, telling and schedules.
import { queryOptions } from "@tanstack/react-query";
import { api, read } from "./client";
import type { AlertState } from "./types";

const minutely = 20_000;

/** How all sites stand, those that need somebody most first. */
export const care = () =>
  queryOptions({ queryKey: ["care"], queryFn: () => read(api.GET("/care")), refetchInterval: minutely });

export const schedules = (site?: string) =>
  queryOptions({
    queryKey: ["schedules", site ?? ""],
    queryFn: () => read(api.GET("/schedules", { params: { query: { site, days: 7 } } })),
    refetchInterval: minutely,
  });

export const watches = (site?: string) =>
  queryOptions({
    queryKey: ["watches", site ?? ""],
    queryFn: () => read(api.GET("/watches", { params: { query: { site } } })),
    refetchInterval: minutely,
  });

export const watchCourse = (site: string, watch: string, days: number) =>
  queryOptions({
    queryKey: ["watches", site, watch, days],
    queryFn: () =>
      read(
        api.GET("/sites/{site}/watches/{watch}", {
          params: { path: { site, watch }, query: { days, bins: days === 1 ? 96 : days * 8 } },
        }),
      ),
    refetchInterval: minutely,
  });

export const front = (site: string) =>
  queryOptions({
    queryKey: ["front", site],
    queryFn: () => read(api.GET("/sites/{site}/front", { params: { path: { site } } })),
  });

export const maintenance = (site: string) =>
  queryOptions({
    queryKey: ["maintenance", site],
    queryFn: () => read(api.GET("/sites/{site}/maintenance", { params: { path: { site } } })),
  });

export const alerts = (site: string, state: AlertState) =>
  queryOptions({
    queryKey: ["alerts", site, state],
    queryFn: () =>
      read(api.GET("/alerts", { params: { query: { site: site || undefined, state, limit: 300 } } })),
    refetchInterval: minutely,
  });

export const rules = (site: string) =>
  queryOptions({
    queryKey: ["rules", site],
    queryFn: () => read(api.GET("/sites/{site}/rules", { params: { path: { site } } })),
  });

export const ways = () =>
  queryOptions({ queryKey: ["ways"], queryFn: () => read(api.GET("/ways")), refetchInterval: minutely });
