import { lazy, Suspense, useEffect, useState } from "react";

const Keys = lazy(() => import("./Keys"));

const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement &&
  (e.target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName));

/** Shows what keys do at a question mark. */
export function KeyHelp() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.key === "?" && !e.ctrlKey && !e.metaKey && !e.altKey && !typing(e)) setOpen(true);
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, []);
  return (
    open && (
      <Suspense>
        <Keys close={() => setOpen(false)} />
      </Suspense>
    )
  );
}
