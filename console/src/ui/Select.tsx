import { NativeSelect } from "@chakra-ui/react";

interface Props<T extends string> {
  /** Its name, where no label stands beside it. */
  label?: string;
  value: T;
  /** Values with the words that are shown for them. */
  options: readonly (readonly [T, string])[];
  set: (value: T) => void;
  size?: "xs" | "sm";
  width?: string | Record<string, string>;
}

/** A choice of one. */
export function Select<T extends string>({ label, value, options, set, size = "sm", width }: Props<T>) {
  return (
    <NativeSelect.Root size={size} width={width}>
      <NativeSelect.Field
        aria-label={label}
        bg="bg.panel"
        value={value}
        onChange={(e) => set(e.target.value as T)}
      >
        {options.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  );
}
