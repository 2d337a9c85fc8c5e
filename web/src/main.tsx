import "@fontsource-variable/instrument-sans/wght.css";
import "@fontsource/spline-sans-mono/400.css";
import "@fontsource/spline-sans-mono/500.css";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { ThemeProvider } from "./app/mode";
import { Routes } from "./app/routes";
import { system } from "./app/theme";

const client = new QueryClient({
  // The server is this machine: what the browser thinks of its network says nothing, and an act that was not possible must
  // never be done later by itself.
  defaultOptions: {
    queries: { staleTime: 5_000, retry: 1, refetchOnWindowFocus: true, networkMode: "always" },
    mutations: { networkMode: "always", retry: false },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <ChakraProvider value={system}>
        <QueryClientProvider client={client}>
          <ThemeProvider>
            <BrowserRouter>
              <Routes />
            </BrowserRouter>
          </ThemeProvider>
        </QueryClientProvider>
      </ChakraProvider>
    </StrictMode>,
  );
}
