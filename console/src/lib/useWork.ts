import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, read } from "../api/client";
import type { Fix, Moves, State, Waiver, WaiverScope } from "../api/types";
import { count } from "./format";

/** What work is done at: a fix, or an entry of one. */
export type Worked = Pick<Fix, "id"> & { version?: number };

export interface Wish {
  fixes: Worked[];
  to?: State;
  assignee?: string;
  due?: string;
  note?: string;
}

export interface WaiverWish {
  scope: WaiverScope;
  check?: string;
  on?: string;
  reason: string;
  until?: string;
}

const said: Partial<Record<State, string>> = { open: "opened", taken: "taken", claimed: "claimed" };

/** What was done, in a sentence. */
export function told(m: Moves, to?: State): string {
  const done = `${count(m.moved.length, "fix", "fixes")} ${(to && said[to]) || "changed"}`;
  if (m.refused.length === 0) return `${done}.`;
  const [first] = m.refused;
  const rest = m.refused.length > 1 ? ` (and ${m.refused.length - 1} more like it)` : "";
  return `${m.moved.length ? `${done}; ` : ""}${count(m.refused.length, "fix stays", "fixes stay")} as ${m.refused.length > 1 ? "they are" : "it is"}: ${first?.why}${rest}.`;
}

/** All that can be done with the fixes of a site. Whatever shows them is read anew afterwards. */
export function useWork(site: string) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ queryKey: ["sites", site] });
  const params = { path: { site } };
  const move = useMutation({
    mutationFn: ({ fixes, ...rest }: Wish) =>
      read(
        api.POST("/sites/{site}/fixes", {
          params,
          body: {
            ...rest,
            fixes: fixes.map((f) => ({ fix: f.id, version: f.version })),
          },
        }),
      ),
    onSettled: refresh,
  });
  const undo = useMutation({
    mutationFn: (batch: number) => read(api.POST("/sites/{site}/undo", { params, body: { batch } })),
    onSettled: refresh,
  });
  const waive = useMutation({
    mutationFn: async (wishes: WaiverWish[]) => {
      const out: Waiver[] = [];
      for (const w of wishes) out.push(await read(api.POST("/sites/{site}/waivers", { params, body: w })));
      return out;
    },
    onSettled: refresh,
  });
  const unwaive = useMutation({
    mutationFn: (id: number) =>
      read(
        api.DELETE("/sites/{site}/waivers/{waiver}", {
          params: { path: { site, waiver: id } },
        }),
      ),
    onSettled: refresh,
  });
  const look = useMutation({
    mutationFn: (fixes: string[]) => read(api.POST("/sites/{site}/rechecks", { params, body: { fixes } })),
  });
  return { move, undo, waive, unwaive, look, refresh };
}
