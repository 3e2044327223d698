import { CloseButton, Dialog, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  title: string;
  size: "sm" | "md" | "lg";
  /** Whether what is in it scrolls, not the whole of it. */
  scrolls?: boolean;
  /** What can be done; nothing in a dialog that only tells. */
  buttons?: ReactNode;
  close: () => void;
  children: ReactNode;
}

/** A dialog that is open as long as it is shown. */
export function DialogFrame({ title, size, scrolls, buttons, close, children }: Props) {
  return (
    <Dialog.Root
      open
      onOpenChange={(e) => !e.open && close()}
      size={size}
      scrollBehavior={scrolls ? "inside" : undefined}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel">
            <Dialog.Header pb="2">
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>{children}</Dialog.Body>
            {buttons && <Dialog.Footer flexWrap="wrap">{buttons}</Dialog.Footer>}
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
