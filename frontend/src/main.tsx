import "./library/early";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import "./index.css";
import { Library } from "./library/Library";
import { App } from "./state/app";
import { AppContext } from "./state/use";
import { ahead, late } from "./ui/late";
import { holdPresses } from "./ui/pressing";

/** What the studio needs is fetched when it is opened, or when the library has nothing else to do. */
const studio = () => import("./app/Studio");
const Studio = late(studio, "Studio");

holdPresses();
const app = new App();
app.connect();
const client = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <AppContext value={app}>
      <QueryClientProvider client={client}>
        <BrowserRouter>
          <Suspense fallback={<p className="p-10 text-soft">Opening…</p>}>
            <Routes>
              <Route path="/effects/:id" element={<Studio />} />
              <Route path="*" element={<Library onIdle={() => ahead(studio)} />} />
            </Routes>
          </Suspense>
        </BrowserRouter>
      </QueryClientProvider>
    </AppContext>
  </StrictMode>,
);
