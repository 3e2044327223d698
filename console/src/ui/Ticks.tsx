import { Box, Checkbox, Flex, Text } from "@chakra-ui/react";

interface Props {
  label: string;
  all: string[];
  chosen: string[];
  set: (chosen: string[]) => void;
}

/** Some of several, in the order of all. */
export function Ticks({ label, all, chosen, set }: Props) {
  return (
    <Box as="fieldset" mb="4">
      <Text as="legend" fontWeight="500" fontSize="sm" mb="1">
        {label}
      </Text>
      <Flex wrap="wrap" columnGap="4" rowGap="1.5">
        {all.map((s) => (
          <Checkbox.Root
            key={s}
            size="sm"
            checked={chosen.includes(s)}
            onCheckedChange={() =>
              set(all.filter((x) => (x === s ? !chosen.includes(s) : chosen.includes(x))))
            }
          >
            <Checkbox.HiddenInput />
            <Checkbox.Control />
            <Checkbox.Label>{s}</Checkbox.Label>
          </Checkbox.Root>
        ))}
      </Flex>
    </Box>
  );
}
