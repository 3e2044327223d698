import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Fault, Problem, planText, read } from "../../api/client";
import { plan } from "../../api/queries";
import type { Plan } from "../../api/types";

const pause = 300; // ms without a key before a text is checked

/**
 * A plan that is being edited, as settings and as text. The service turns the one into the other
 * and says what is wrong; nothing is kept until it is saved.
 */
export function usePlan(site: string) {
  const stored = useQuery(plan(site));
  const client = useQueryClient();
  const [draft, setDraft] = useState<Plan>();
  const [text, setText] = useState("");
  const [faults, setFaults] = useState<Fault[]>([]);
  const [changed, setChanged] = useState(false);
  const newest = useRef(0);

  const check = useCallback(async (body: string | Plan, rewrite: boolean) => {
    newest.current += 1;
    const mine = newest.current;
    try {
      const checked = await read(
        api.POST("/plan-check", typeof body === "string" ? planText(body) : { body: { ...body } }),
      );
      if (mine !== newest.current) return;
      setDraft(checked.plan);
      if (rewrite) setText(checked.text.trim() === "{}" ? "" : checked.text);
      setFaults([]);
    } catch (e) {
      if (mine !== newest.current) return;
      const found = e instanceof Problem ? e.faults : [];
      setFaults(found.length > 0 ? found : [{ field: "", reason: String((e as Error).message) }]);
    }
  }, []);

  useEffect(() => {
    if (stored.data && !draft) check(stored.data, true);
  }, [stored.data, draft, check]);

  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const write = useCallback(
    (value: string) => {
      setText(value);
      setChanged(true);
      clearTimeout(timer.current);
      timer.current = setTimeout(() => check(value, false), pause);
    },
    [check],
  );
  const set = useCallback(
    (changes: Partial<Plan>) => {
      if (!draft) return;
      const next = { ...draft, ...changes };
      setDraft(next);
      setChanged(true);
      clearTimeout(timer.current);
      timer.current = setTimeout(() => check(next, true), pause);
    },
    [draft, check],
  );
  const save = useMutation({
    mutationFn: () => api.PUT("/sites/{site}/plan", { params: { path: { site } }, ...planText(text) }),
    onSuccess: () => {
      setChanged(false);
      client.invalidateQueries({ queryKey: ["sites", site] });
    },
  });
  return { stored, draft, text, faults, changed, write, set, save };
}
