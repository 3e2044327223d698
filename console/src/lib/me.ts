import { useCallback, useSyncExternalStore } from "react";

const key = "harvik.me";
const listeners = new Set<() => void>();

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** In whose name this browser changes things. */
export function useMe() {
  const me = useSyncExternalStore(subscribe, () => localStorage.getItem(key) ?? "");
  const setMe = useCallback((name: string) => {
    localStorage.setItem(key, name.trim());
    for (const l of listeners) l();
  }, []);
  return [me, setMe] as const;
}
