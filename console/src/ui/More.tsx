import { Button } from "@chakra-ui/react";

interface Props {
  list: { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => unknown };
  words?: string;
}

/** Fetches the next part of a list, where there is one. */
export function More({ list, words = "Show more" }: Props) {
  if (!list.hasNextPage) return null;
  return (
    <Button
      size="xs"
      variant="outline"
      mt="2"
      loading={list.isFetchingNextPage}
      onClick={() => list.fetchNextPage()}
    >
      {words}
    </Button>
  );
}
