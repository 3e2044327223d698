import { Button, Menu, Portal } from "@chakra-ui/react";
import type { PageColumn } from "./columns";

interface ColumnChoiceProps {
  all: PageColumn[];
  shown: PageColumn[];
  set: (names: string[]) => void;
  usual: () => void;
}

/** Which columns are shown; the choice stands in the address bar. */
export function ColumnChoice({ all, shown, set, usual }: ColumnChoiceProps) {
  const names = shown.map((c) => c.key);
  return (
    <Menu.Root closeOnSelect={false}>
      <Menu.Trigger asChild>
        <Button size="xs" variant="outline">
          Columns
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel" maxH="24rem">
            {all.slice(1).map((c) => (
              <Menu.CheckboxItem
                key={c.key}
                value={c.key}
                checked={names.includes(c.key)}
                onCheckedChange={(on) => set(on ? [...names, c.key] : names.filter((n) => n !== c.key))}
              >
                {c.label}
                <Menu.ItemIndicator />
              </Menu.CheckboxItem>
            ))}
            <Menu.Separator />
            <Menu.Item value="usual" onClick={usual}>
              The usual ones
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
