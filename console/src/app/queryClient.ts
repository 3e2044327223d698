import { QueryClient } from "@tanstack/react-query";
import { Problem } from "../api/client";

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // A refusal stays one; only what the network did is worth another try.
      retry: (count, error) => !(error instanceof Problem) && count < 2,
    },
  },
});
