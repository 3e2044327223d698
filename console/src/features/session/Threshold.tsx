import { Box, Heading } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** The page of whoever is not signed in yet. */
export function Threshold({ children }: { children: ReactNode }) {
  return (
    <Box as="main" minH="100dvh" bg="bg" color="fg" p={{ base: "6", md: "16" }}>
      <Box maxW="34rem">
        <Heading as="h1" color="accent" size="2xl" mb="4">
          Harvik
        </Heading>
        {children}
      </Box>
    </Box>
  );
}
