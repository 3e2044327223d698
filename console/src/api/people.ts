// What the console asks about people and what they did.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, read } from "./client";

export const people = () => queryOptions({ queryKey: ["people"], queryFn: () => read(api.GET("/people")) });

export const credentials = () =>
  queryOptions({ queryKey: ["credentials"], queryFn: () => read(api.GET("/credentials")) });

export const trail = (site: string, who: string) =>
  infiniteQueryOptions({
    queryKey: ["trail", site, who],
    initialPageParam: 0,
    queryFn: ({ pageParam }) =>
      read(
        api.GET("/trail", { params: { query: { site, who, before: pageParam || undefined, limit: 100 } } }),
      ),
    getNextPageParam: (last) => last.next || undefined,
  });

export const passkeys = () =>
  queryOptions({ queryKey: ["passkeys"], queryFn: () => read(api.GET("/me/passkeys")) });

export const provider = () =>
  queryOptions({ queryKey: ["provider"], queryFn: () => read(api.GET("/provider")) });

export const mentions = () =>
  queryOptions({
    queryKey: ["mentions"],
    queryFn: () => read(api.GET("/me/mentions")),
    refetchInterval: 20_000,
  });
