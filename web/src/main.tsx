import "@fontsource-variable/inter";
import "@fontsource-variable/source-serif-4";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { askBeforeLeaving } from "./api/leaving";
import { App } from "./App";
import { theme } from "./theme";

const nonce = document.querySelector<HTMLMetaElement>("meta[property=csp-nonce]")?.nonce ?? "";
const styles = createCache({ key: "bf", nonce, prepend: true });
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: true } } });
askBeforeLeaving(queries, window);

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <CacheProvider value={styles}>
      <ThemeProvider theme={theme}>
        <CssBaseline />
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </QueryClientProvider>
      </ThemeProvider>
    </CacheProvider>
  </StrictMode>,
);
