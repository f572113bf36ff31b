import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { useState } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { CreatePage } from "../features/records/CreatePage";
import { ListPage } from "../features/records/ListPage";
import { RecordPage } from "../features/records/RecordPage";
import { SignInGate } from "../features/session/SignInGate";
import { Shell } from "../features/shell/Shell";
import { StartPage } from "../features/shell/StartPage";
import { MessageProvider } from "../ui/messages";
import { createQueryClient } from "./queryClient";
import { theme } from "./theme";

export function App() {
  const [client] = useState(createQueryClient);
  return (
    <ThemeProvider theme={theme} defaultMode="system">
      <CssBaseline />
      <QueryClientProvider client={client}>
        <MessageProvider>
          <SignInGate>
            <BrowserRouter>
              <Routes>
                <Route element={<Shell />}>
                  <Route index element={<StartPage />} />
                  <Route path="c/:collection" element={<ListPage />} />
                  <Route path="c/:collection/new" element={<CreatePage />} />
                  <Route path="c/:collection/r/:recordKey" element={<RecordPage />} />
                  <Route path="*" element={<Navigate to="/" replace />} />
                </Route>
              </Routes>
            </BrowserRouter>
          </SignInGate>
        </MessageProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
