import "@fontsource-variable/source-sans-3/wght.css";
import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { nonce } from "../lib/nonce";
import { applyColorMode } from "../ui/colorMode";
import { queryClient } from "./queryClient";
import { router } from "./routes";
import { system } from "./theme";

applyColorMode();
const styles = createCache({ key: "css", nonce: nonce() });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <CacheProvider value={styles}>
        <ChakraProvider value={system}>
          <QueryClientProvider client={queryClient}>
            <RouterProvider router={router} />
          </QueryClientProvider>
        </ChakraProvider>
      </CacheProvider>
    </StrictMode>,
  );
}
