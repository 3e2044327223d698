import { useCallback, useEffect, useMemo, useState } from "react";
import { useSearchParams } from "react-router";

/** Filters that live in the address bar: empty ones are not written. */
export function useFilters<K extends string>(keys: readonly K[]) {
  const [params, setParams] = useSearchParams();
  const values = useMemo(
    () => Object.fromEntries(keys.map((k) => [k, params.get(k) ?? ""])) as Record<K, string>,
    [params, keys],
  );
  const set = useCallback(
    (changes: Partial<Record<K, string>>) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          for (const [key, value] of Object.entries(changes)) {
            if (value) next.set(key, value as string);
            else next.delete(key);
          }
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  return [values, set] as const;
}

const pause = 250; // ms without a key before a search is sent

/** A text field whose value is applied once the typing pauses. */
export function useSearchField(applied: string, apply: (value: string) => void) {
  const [typed, setTyped] = useState(applied);
  useEffect(() => {
    if (typed === applied) return;
    const timer = setTimeout(() => apply(typed), pause);
    return () => clearTimeout(timer);
  }, [typed, applied, apply]);
  return [typed, setTyped] as const;
}
