import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Studio } from "./app/Studio";
import { setTone } from "./app/commands";
import "./index.css";
import { Library } from "./library/Library";
import { connect } from "./state/live";

setTone(localStorage.getItem("tone") ?? "dark");
connect();

const client = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <Tooltip.Provider delayDuration={500}>
        <BrowserRouter>
          <Routes>
            <Route path="/" element={<Library />} />
            <Route path="/effects/:id" element={<Studio />} />
            <Route path="*" element={<Library />} />
          </Routes>
        </BrowserRouter>
      </Tooltip.Provider>
    </QueryClientProvider>
  </StrictMode>,
);
