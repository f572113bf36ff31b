import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { useState } from "react";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { basePath } from "../api/base";
import { ReferencePage } from "../features/calls/ReferencePage";
import { CallsPage } from "../features/calls/CallsPage";
import { ConsequencesPage } from "../features/access/ConsequencesPage";
import { RulesPage } from "../features/access/RulesPage";
import { ActivityPage } from "../features/activity/ActivityPage";
import { AccountsPage } from "../features/accounts/AccountsPage";
import { NoticesPage } from "../features/notices/NoticesPage";
import { SubscriptionPage } from "../features/notices/SubscriptionPage";
import { SubscriptionsPage } from "../features/notices/SubscriptionsPage";
import { OwnAccountPage } from "../features/accounts/OwnAccountPage";
import { PassesButtons } from "../features/passes/PassesButtons";
import { PassesPanel } from "../features/passes/PassesPanel";
import { ProposalsPanel } from "../features/passes/ProposalsPanel";
import { PassesPage } from "../features/passes/PassesPage";
import { ProposalsPage } from "../features/passes/ProposalsPage";
import { ImportPage } from "../features/files/ImportPage";
import { RequestsPage } from "../features/requests/RequestsPage";
import { OverTimePage } from "../features/records/around/OverTimePage";
import { ComparePage } from "../features/records/ComparePage";
import { CreatePage } from "../features/records/CreatePage";
import { ListPage } from "../features/records/ListPage";
import { PastPage } from "../features/records/PastPage";
import { RecordPage } from "../features/records/RecordPage";
import { SignInGate } from "../features/session/SignInGate";
import { Shell } from "../features/shell/Shell";
import { StartPage } from "../features/shell/StartPage";
import { MessageProvider } from "../ui/messages";
import { createQueryClient } from "./queryClient";
import { theme } from "./theme";

const createRouter = () =>
  createBrowserRouter(
    [
      {
        element: <Shell />,
        children: [
          { index: true, element: <StartPage /> },
          { path: "c/:collection", element: <ListPage more={PassesButtons} /> },
          { path: "c/:collection/access", element: <RulesPage /> },
          { path: "c/:collection/calls", element: <CallsPage /> },
          { path: "c/:collection/consequences", element: <ConsequencesPage /> },
          { path: "c/:collection/import", element: <ImportPage /> },
          { path: "c/:collection/r/:recordKey/past", element: <PastPage /> },
          { path: "c/:collection/r/:recordKey/over-time", element: <OverTimePage /> },
          { path: "c/:collection/r/:recordKey/compare", element: <ComparePage /> },
          { path: "c/:collection/passes", element: <PassesPage /> },
          { path: "proposals", element: <ProposalsPage /> },
          { path: "proposals/:number", element: <ProposalsPage /> },
          { path: "reference", element: <ReferencePage /> },
          { path: "requests", element: <RequestsPage /> },
          { path: "activity", element: <ActivityPage /> },
          { path: "accounts", element: <AccountsPage /> },
          { path: "notices", element: <NoticesPage /> },
          { path: "subscriptions", element: <SubscriptionsPage /> },
          { path: "subscriptions/:name", element: <SubscriptionPage /> },
          { path: "account", element: <OwnAccountPage /> },
          { path: "c/:collection/new", element: <CreatePage /> },
          { path: "c/:collection/r/:recordKey", element: <RecordPage above={ProposalsPanel} below={PassesPanel} /> },
          { path: "*", element: <Navigate to="/" replace /> },
        ],
      },
    ],
    { basename: basePath || "/" },
  );

export function App() {
  const [client] = useState(createQueryClient);
  const [router] = useState(createRouter);
  return (
    <ThemeProvider theme={theme} defaultMode="system">
      <CssBaseline />
      <QueryClientProvider client={client}>
        <MessageProvider>
          <SignInGate>
            <RouterProvider router={router} />
          </SignInGate>
        </MessageProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
