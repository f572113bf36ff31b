import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClientProvider } from "@tanstack/react-query";
import { useState } from "react";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { basePath } from "../api/base";
import { PassesButtons } from "../features/passes/PassesButtons";
import { PassesPanel } from "../features/passes/PassesPanel";
import { ProposalsPanel } from "../features/passes/ProposalsPanel";
import { CreatePage } from "../features/records/CreatePage";
import { ListPage } from "../features/records/ListPage";
import { RecordPage } from "../features/records/RecordPage";
import { SignInGate } from "../features/session/SignInGate";
import { Shell } from "../features/shell/Shell";
import { StartPage } from "../features/shell/StartPage";
import { MessageProvider } from "../ui/messages";
import { Broken } from "./Broken";
import { later } from "./later";
import { createQueryClient } from "./queryClient";
import { theme } from "./theme";

/** Pages that are not opened first are loaded when they are. */
const ReferencePage = later(() => import("../features/calls/ReferencePage"), "ReferencePage");
const CallsPage = later(() => import("../features/calls/CallsPage"), "CallsPage");
const ConsequencesPage = later(() => import("../features/access/ConsequencesPage"), "ConsequencesPage");
const RulesPage = later(() => import("../features/access/RulesPage"), "RulesPage");
const ActivityPage = later(() => import("../features/activity/ActivityPage"), "ActivityPage");
const AccountsPage = later(() => import("../features/accounts/AccountsPage"), "AccountsPage");
const NoticesPage = later(() => import("../features/notices/NoticesPage"), "NoticesPage");
const SubscriptionPage = later(() => import("../features/notices/SubscriptionPage"), "SubscriptionPage");
const SubscriptionsPage = later(() => import("../features/notices/SubscriptionsPage"), "SubscriptionsPage");
const OwnAccountPage = later(() => import("../features/accounts/OwnAccountPage"), "OwnAccountPage");
const PassesPage = later(() => import("../features/passes/PassesPage"), "PassesPage");
const ProposalsPage = later(() => import("../features/passes/ProposalsPage"), "ProposalsPage");
const ImportPage = later(() => import("../features/files/ImportPage"), "ImportPage");
const RequestsPage = later(() => import("../features/requests/RequestsPage"), "RequestsPage");
const OverTimePage = later(() => import("../features/records/around/OverTimePage"), "OverTimePage");
const ComparePage = later(() => import("../features/records/ComparePage"), "ComparePage");
const PastPage = later(() => import("../features/records/PastPage"), "PastPage");

const createRouter = () =>
  createBrowserRouter(
    [
      {
        element: <Shell />,
        errorElement: <Broken />,
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
