import { Checkbox, Field, Input, Textarea } from "@chakra-ui/react";
import { useId, useState } from "react";
import { Select } from "../../ui/Select";

interface Labelled {
  label: string;
}

export function NumberField({
  label,
  value,
  set,
}: Labelled & { value: number; set: (value: number) => void }) {
  const [typed, setTyped] = useTyped(String(value));
  return (
    <Field.Root>
      <Field.Label>{label}</Field.Label>
      <Input
        size="sm"
        bg="bg.panel"
        inputMode="decimal"
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          // What is no number goes to the service as it is: it says what is wrong with it.
          set((e.target.value.trim() === "" ? 0 : Number(e.target.value) || e.target.value) as number);
        }}
      />
    </Field.Root>
  );
}

interface TextProps extends Labelled {
  value: string;
  list?: string[];
  set: (value: string) => void;
}

export function TextField({ label, value, list, set }: TextProps) {
  const id = useId();
  return (
    <Field.Root>
      <Field.Label>{label}</Field.Label>
      <Input size="sm" bg="bg.panel" value={value} list={list && id} onChange={(e) => set(e.target.value)} />
      {list && (
        <datalist id={id}>
          {list.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
    </Field.Root>
  );
}

interface LinesProps extends Labelled {
  hint: string;
  value?: string[];
  set: (value: string[]) => void;
}

/** A list, one entry a line. */
export function Lines({ label, hint, value, set }: LinesProps) {
  const [typed, setTyped] = useTyped((value ?? []).join("\n"));
  return (
    <Field.Root>
      <Field.Label>{label}</Field.Label>
      <Textarea
        size="sm"
        bg="bg.panel"
        rows={2}
        placeholder={hint}
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          set(
            e.target.value
              .split("\n")
              .map((l) => l.trim())
              .filter(Boolean),
          );
        }}
      />
    </Field.Root>
  );
}

interface ChoiceProps<T extends string> extends Labelled {
  value: T;
  options: Record<T, string>;
  set: (value: T) => void;
}

export function Choice<T extends string>({ label, value, options, set }: ChoiceProps<T>) {
  return (
    <Field.Root>
      <Field.Label>{label}</Field.Label>
      <Select label={label} value={value} set={set} options={Object.entries(options) as [T, string][]} />
    </Field.Root>
  );
}

export function Switch({ label, on, set }: Labelled & { on: boolean; set: (on: boolean) => void }) {
  return (
    <Checkbox.Root checked={on} onCheckedChange={(e) => set(e.checked === true)} mt="1">
      <Checkbox.HiddenInput />
      <Checkbox.Control />
      <Checkbox.Label>{label}</Checkbox.Label>
    </Checkbox.Root>
  );
}

/** What is typed, until the value it stands for changes from outside. */
function useTyped(value: string) {
  const [typed, setTyped] = useState(value);
  const [last, setLast] = useState(value);
  if (value !== last) {
    setLast(value);
    if (value !== typed.trim()) setTyped(value);
  }
  return [typed, setTyped] as const;
}
