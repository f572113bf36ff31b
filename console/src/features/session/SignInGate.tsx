import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { session } from "../../api/session";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { SignInPage } from "./SignInPage";

/** Shows the console to who is signed in, and the sign-in page to who is not. */
export function SignInGate({ children }: { children: ReactNode }) {
  const found = useQuery(session);
  if (found.isPending) return <Waiting what="your session" />;
  if (found.isError) return <Trouble error={found.error} retry={found.refetch} />;
  return found.data ? children : <SignInPage />;
}
