import { Box, Dialog, Portal } from "@chakra-ui/react";

const keys: [string, string][] = [
  ["j, k", "the next line of the fix list, the one before"],
  ["Enter", "opens a line"],
  ["Esc", "closes what is open"],
  ["x", "chooses a line; with Shift and the mouse all up to it"],
  ["t", "takes what is chosen"],
  ["c", "claims that it is mended"],
  ["o", "puts it back to open"],
  ["w", "waives it"],
  ["r", "looks at it again"],
  ["u", "takes back what was done last"],
  ["?", "shows these keys"],
];

/** What keys do. */
export default function Keys({ close }: { close: () => void }) {
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && close()} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel">
            <Dialog.Header pb="2">
              <Dialog.Title>Keys</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Box as="dl" display="grid" gridTemplateColumns="4.5rem 1fr" rowGap="1.5">
                {keys.map(([key, does]) => (
                  <Box key={key} display="contents">
                    <Box as="dt" fontWeight="650">
                      {key}
                    </Box>
                    <Box as="dd">{does}</Box>
                  </Box>
                ))}
              </Box>
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
