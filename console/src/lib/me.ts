import { queryOptions, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, read } from "../api/client";
import type { Caller } from "../api/types";

/** Who is signed in, and what they may. */
export const whoAmI = () =>
  queryOptions({ queryKey: ["me"], queryFn: () => read(api.GET("/session")), staleTime: 60_000 });

/** Who is signed in; nobody while that is not known. */
export const useMe = (): Caller | undefined => useQuery(whoAmI()).data;

const oldKey = "harvik.me";
const order = ["client", "reader", "consultant", "owner"];

/** Tells whether somebody is at least of a role. */
export const isAtLeast = (me: Caller | undefined, role: "reader" | "consultant" | "owner") =>
  me !== undefined && order.indexOf(me.role) >= order.indexOf(role);

/** Takes over the name that this browser kept before there were accounts, for an owner who has none yet. */
export function useNameOfOld(me: Caller | undefined) {
  const client = useQueryClient();
  useEffect(() => {
    const name = localStorage.getItem(oldKey);
    if (!name || !me) return;
    localStorage.removeItem(oldKey);
    if (me.name === "owner")
      api.PUT("/me", { body: { name } }).then(
        () => client.invalidateQueries(),
        () => {}, // it is no name any more, or somebody else's
      );
  }, [me, client]);
}
