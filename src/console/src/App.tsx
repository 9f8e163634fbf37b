import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, Route, Routes } from "react-router";
import { api, Refusal } from "./api/client";
import { useLive } from "./api/live";
import { AuditPage, AuditsPage } from "./pages/AuditsPage";
import { BriefPage } from "./pages/BriefPage";
import { ErrandsPage } from "./pages/ErrandsPage";
import { HistoryPage } from "./pages/HistoryPage";
import { InvitePage } from "./pages/InvitePage";
import { MachinePage } from "./pages/MachinePage";
import { MachineSpacePage } from "./pages/MachineSpacePage";
import { PlanMachinePage } from "./pages/PlanMachinePage";
import { PlanPage } from "./pages/PlanPage";
import { PlansPage } from "./pages/PlansPage";
import { RoomsPage } from "./pages/RoomsPage";
import { RunPage } from "./pages/RunPage";
import { RunsPage } from "./pages/RunsPage";
import { SignInPage } from "./pages/SignInPage";
import { SpacePage } from "./pages/SpacePage";
import { count, words } from "./words";

export function App() {
  const queries = useQueryClient();
  const [arriving, setArriving] = useState(() => new URLSearchParams(location.hash.slice(1)).get("token"));
  const status = useQuery({ queryKey: ["status"], queryFn: api.status, enabled: arriving === null });

  useEffect(() => {
    if (arriving === null) return;
    history.replaceState(null, "", location.pathname);
    api.signIn(arriving).finally(() => setArriving(null));
  }, [arriving]);

  if (status.error instanceof Refusal && status.error.status === 401)
    return <SignInPage onSignedIn={() => queries.invalidateQueries()} />;
  if (!status.data) return <p className="page quiet">{status.error ? words.offline : words.loading}</p>;
  return <SignedIn who={status.data.you.name} machines={status.data.machines} silent={status.data.silent} />;
}

function SignedIn({ who, machines, silent }: { who: string; machines: number; silent: number }) {
  const heard = useLive();
  return (
    <>
      <header className="top">
        <Link to="/" className="name">
          {words.title}
        </Link>
        <nav aria-label={words.mainPages}>
          <Link to="/">{words.rooms}</Link>
          <Link to="/plans">{words.plans}</Link>
          <Link to="/runs">{words.runs}</Link>
          <Link to="/errands">{words.errands}</Link>
          <Link to="/audits">{words.audits}</Link>
          <Link to="/space">{words.space}</Link>
          <Link to="/history">{words.history}</Link>
        </nav>
        <span className="quiet">{words.whoAmI(count(machines, "machine"), silent, who)}</span>
      </header>
      {!heard && (
        <p className="offline" role="status">
          {words.offline}
        </p>
      )}
      <main className="page">
        <Routes>
          <Route path="/" element={<RoomsPage />} />
          <Route path="/invite" element={<InvitePage />} />
          <Route path="/machines/:name" element={<MachinePage />} />
          <Route path="/machines/:name/space" element={<MachineSpacePage />} />
          <Route path="/plans" element={<PlansPage />} />
          <Route path="/plans/:number" element={<PlanPage />} />
          <Route path="/plans/:number/machines/:name" element={<PlanMachinePage />} />
          <Route path="/brief" element={<BriefPage />} />
          <Route path="/runs" element={<RunsPage />} />
          <Route path="/runs/:number" element={<RunPage />} />
          <Route path="/audits" element={<AuditsPage />} />
          <Route path="/audits/:number" element={<AuditPage />} />
          <Route path="/history" element={<HistoryPage />} />
          <Route path="/errands" element={<ErrandsPage />} />
          <Route path="/space" element={<SpacePage />} />
          <Route path="*" element={<p>{words.noSuchPage}</p>} />
        </Routes>
      </main>
    </>
  );
}
