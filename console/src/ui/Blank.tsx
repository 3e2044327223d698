import { Input } from "@chakra-ui/react";

interface Props {
  label: string;
  hint?: string;
  value: string;
  set: (value: string) => void;
  width: string;
  size?: "xs" | "sm";
  type?: string;
}

/** A place to write in, within a sentence. */
export function Blank({ label, hint, value, set, width, size = "xs", type }: Props) {
  return (
    <Input
      size={size}
      type={type}
      autoComplete={type === "password" ? "current-password" : "off"}
      width={width}
      bg="bg.panel"
      aria-label={label}
      placeholder={hint}
      value={value}
      onChange={(e) => set(e.target.value)}
    />
  );
}
