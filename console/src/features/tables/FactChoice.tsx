import { Button, Input, Menu, Portal } from "@chakra-ui/react";
import { useState } from "react";
import type { FactTable } from "../../api/types";

interface Props {
  table: FactTable;
  shown: string[];
  set: (names: string[]) => void;
}

/** Which facts are shown as columns, found by their names. */
export function FactChoice({ table, shown, set }: Props) {
  const [search, setSearch] = useState("");
  const fitting = table.facts.filter(
    (f) =>
      !["figures", "links"].includes(f.kind) &&
      `${f.name} ${f.label}`.toLowerCase().includes(search.toLowerCase()),
  );
  return (
    <Menu.Root closeOnSelect={false}>
      <Menu.Trigger asChild>
        <Button size="sm" variant="outline">
          Columns
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel" maxH="26rem" minW="16rem">
            <Input
              size="xs"
              mb="1"
              aria-label="Find a fact"
              placeholder="find a fact"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
              onKeyDown={(e) => e.stopPropagation()}
            />
            {fitting.map((f) => (
              <Menu.CheckboxItem
                key={f.name}
                value={f.name}
                checked={shown.includes(f.name)}
                title={f.say}
                onCheckedChange={(on) => set(on ? [...shown, f.name] : shown.filter((n) => n !== f.name))}
              >
                {f.label}
                <Menu.ItemIndicator />
              </Menu.CheckboxItem>
            ))}
            <Menu.Separator />
            <Menu.Item value="usual" onClick={() => set([])}>
              The usual ones
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
