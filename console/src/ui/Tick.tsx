import { Checkbox } from "@chakra-ui/react";

/** Something that is so or not, in a row of such. */
export function Tick({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <Checkbox.Root size="sm" checked={on} onCheckedChange={(e) => set(e.checked === true)}>
      <Checkbox.HiddenInput />
      <Checkbox.Control />
      <Checkbox.Label fontWeight="400">{label}</Checkbox.Label>
    </Checkbox.Root>
  );
}
