import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, useSyncExternalStore } from "react";
import { Link, NavLink, Route, Routes } from "react-router";
import { api, Refusal, type ServiceStatus } from "./api/client";
import { useLive } from "./api/live";
import { session } from "./api/session";
import { AuditPage, AuditsPage } from "./pages/AuditsPage";
import { BriefPage } from "./pages/BriefPage";
import { ErrandsPage } from "./pages/ErrandsPage";
import { HistoryPage } from "./pages/HistoryPage";
import { InvitePage } from "./pages/InvitePage";
import { MachinePage } from "./pages/MachinePage";
import { MachineSpacePage } from "./pages/MachineSpacePage";
import { OriginalsPage } from "./pages/OriginalsPage";
import { PlanMachinePage } from "./pages/PlanMachinePage";
import { PlanPage } from "./pages/PlanPage";
import { PlansPage } from "./pages/PlansPage";
import { RoomsPage } from "./pages/RoomsPage";
import { RunPage } from "./pages/RunPage";
import { RunsPage } from "./pages/RunsPage";
import { SignInAgain, SignInPage } from "./pages/SignInPage";
import { SpacePage } from "./pages/SpacePage";
import { Sentence } from "./parts/FailureNote";
import { NotYet } from "./parts/Fetched";
import { MyLevel } from "./parts/Me";
import { Results } from "./parts/Result";
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

  if (!status.data && status.error instanceof Refusal && status.error.status === 401)
    return (
      <SignInPage
        onSignedIn={() => {
          history.replaceState(null, "", location.pathname);
          session.found();
          queries.invalidateQueries();
        }}
      />
    );
  if (!status.data)
    return (
      <main className="page">
        <NotYet query={status} />
      </main>
    );
  return <SignedIn status={status.data} />;
}

const PAGES = [
  ["/", words.rooms],
  ["/plans", words.plans],
  ["/runs", words.runs],
  ["/errands", words.errands],
  ["/originals", words.originals],
  ["/audits", words.audits],
  ["/space", words.space],
  ["/history", words.history],
] as const;

function SignedIn({ status }: { status: ServiceStatus }) {
  const { you, machines, silent, certificateEnds, backup, replacedBy } = status;
  const { name: who, level } = you;
  const heard = useLive();
  const lost = useSyncExternalStore(session.listen, session.isLost);
  const queries = useQueryClient();
  const signOut = async () => {
    await api.signOut();
    queries.clear();
    location.assign("/");
  };
  return (
    <MyLevel value={level}>
      <a className="skip" href="#main">
        {words.toMain}
      </a>
      <header className="top">
        <Link to="/" className="name">
          {words.title}
        </Link>
        <nav aria-label={words.mainPages}>
          {PAGES.map(([path, name]) => (
            <NavLink key={path} to={path} end={path === "/"}>
              {name}
            </NavLink>
          ))}
        </nav>
        <span className="quiet">{words.whoAmI(count(machines, "machine"), silent, who)}</span>
        <button type="button" onClick={signOut}>
          {words.signOut}
        </button>
      </header>
      {!heard && !lost && (
        <p className="offline" role="status">
          {words.offline}
        </p>
      )}
      {certificateEnds && (
        <p className="offline" role="status">
          <Sentence text={words.certificateEnds(certificateEnds.slice(0, 10))} />
        </p>
      )}
      {replacedBy && (
        <p className="offline" role="alert">
          {words.replacedBy(replacedBy.machine)}
        </p>
      )}
      {backup?.failed && (
        <p className="offline" role="status">
          {words.backupFailed(backup.at.slice(0, 16).replace("T", " "), backup.failed)}
        </p>
      )}
      {lost && <SignedOut />}
      <Results>
        <main className="page" id="main" tabIndex={-1}>
          {level === "reader" && <p className="quiet">{words.notAllowed(level)}</p>}
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
            <Route path="/originals" element={<OriginalsPage />} />
            <Route path="/audits" element={<AuditsPage />} />
            <Route path="/audits/:number" element={<AuditPage />} />
            <Route path="/history" element={<HistoryPage />} />
            <Route path="/errands" element={<ErrandsPage />} />
            <Route path="/space" element={<SpacePage />} />
            <Route path="*" element={<p>{words.noSuchPage}</p>} />
          </Routes>
        </main>
      </Results>
    </MyLevel>
  );
}

/** Signing in again, over the page: what was typed there stays. */
function SignedOut() {
  const queries = useQueryClient();
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  return (
    <dialog ref={dialog} aria-label={words.signIn} onCancel={(event) => event.preventDefault()}>
      <p role="alert">{words.signedOut}</p>
      <SignInAgain
        onSignedIn={() => {
          session.found();
          queries.invalidateQueries();
        }}
      />
    </dialog>
  );
}
