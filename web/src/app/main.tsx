import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Problem } from "../api/client";
import { App } from "./App";
import "./styles.css";

const queries = new QueryClient({
  defaultOptions: {
    // what one part of a page has just read, the others need not
    queries: {
      staleTime: 1000,
      retry: (count, error) => !(error instanceof Problem && error.status < 500) && count < 2,
    },
  },
});

const root = document.getElementById("root");
if (!root) throw new Error("the page has no root element");
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
