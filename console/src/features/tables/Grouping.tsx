import type { FactTable } from "../../api/types";
import { Select } from "../../ui/Select";
import { isNumber } from "./wording";

interface Props {
  table: FactTable;
  by: string;
  measure: string;
  set: (changes: { by?: string; measure?: string }) => void;
}

/** By which fact answers are grouped, and what is measured in each group. */
export function Grouping({ table, by, measure, set }: Props) {
  const facts = table.facts.filter(
    (f) => !["figures", "links"].includes(f.kind) && !["text", "source"].includes(f.name),
  );
  return (
    <>
      <Select
        label="Group by"
        width="11rem"
        value={by}
        set={(next) => set({ by: next, measure: next ? measure : "" })}
        options={[["", "not grouped"], ...facts.map((f): [string, string] => [f.name, `by ${f.label}`])]}
      />
      {by && (
        <Select
          label="Measure"
          width="11rem"
          value={measure}
          set={(next) => set({ measure: next })}
          options={[
            ["", "counted"],
            ...facts.filter(isNumber).map((f): [string, string] => [f.name, `with ${f.label}`]),
          ]}
        />
      )}
    </>
  );
}
