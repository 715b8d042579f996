import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { createBrowserRouter, Navigate, Route, RouterProvider, Routes } from "react-router";
import { Problem } from "../api/client";
import { useSession } from "../api/queries";
import { Leaving } from "../form";
import { theme } from "../kit/theme";
import { EntryPage } from "../pages/entry/EntryPage";
import { LedgerPage } from "../pages/ledger/LedgerPage";
import { RunsPage } from "../pages/runs/RunsPage";
import { SignInOver, SignInPage } from "../pages/SignInPage";
import { LAST_BOOK, Shell } from "./Shell";
import { Failure, Loading } from "./states";

const ArmsPage = lazy(() => import("../pages/arms/ArmsPage"));
const ChainPage = lazy(() => import("../pages/arms/ChainPage"));
const BenchPage = lazy(() => import("../pages/bench/BenchPage"));
const BringPage = lazy(() => import("../pages/bring/BringPage"));
const PlanPage = lazy(() => import("../pages/bench/PlanPage"));
const RigsPage = lazy(() => import("../pages/bench/RigsPage"));
const RecordingPage = lazy(() => import("../pages/bench/RecordingPage"));
const ScenariosPage = lazy(() => import("../pages/scenarios/ScenariosPage"));
const ScenarioPage = lazy(() => import("../pages/scenarios/ScenarioPage"));
const ScenarioForm = lazy(() => import("../pages/scenarios/ScenarioForm"));
const RampPage = lazy(() => import("../pages/vary/RampPage"));
const MatrixPage = lazy(() => import("../pages/vary/MatrixPage"));
const HuntPage = lazy(() => import("../pages/vary/HuntPage"));
const MixturePage = lazy(() => import("../pages/vary/MixturePage"));
const TradePage = lazy(() => import("../pages/vary/TradePage"));
const CoresPage = lazy(() => import("../pages/vary/CoresPage"));
const KnobPage = lazy(() => import("../pages/vary/KnobPage"));
const UntangledPage = lazy(() => import("../pages/vary/UntangledPage"));
const SwitchedPage = lazy(() => import("../pages/vary/SwitchedPage"));
const TrendPage = lazy(() => import("../pages/trend/TrendPage"));
const LinePage = lazy(() => import("../pages/trend/LinePage"));
const LineOfRecording = lazy(() => import("../pages/trend/LineOfRecording"));
const OrderPage = lazy(() => import("../pages/trend/OrderPage"));
const FieldPage = lazy(() => import("../pages/field/FieldPage"));
const ModelPage = lazy(() =>
  import("../pages/field/ClassPage").then((found) => ({ default: found.ModelPage })),
);
const ReadyPage = lazy(() => import("../pages/field/ReadyPage"));
const ClassPage = lazy(() => import("../pages/field/ClassPage"));
const RulesPage = lazy(() => import("../pages/rules/RulesPage"));
const LapsPage = lazy(() => import("../pages/laps/LapsPage"));
const LapSheetPage = lazy(() => import("../pages/laps/LapSheetPage"));
const InventoryPage = lazy(() => import("../pages/inventory/InventoryPage"));
const BacklogPage = lazy(() => import("../pages/backlog/BacklogPage"));
const BookPage = lazy(() => import("../pages/book/BookPage"));
const NewBookPage = lazy(() => import("../pages/book/NewBook"));
const FirstBook = lazy(() => import("../pages/book/FirstBook"));
const StatementPage = lazy(() => import("../pages/statement/StatementPage"));
const YouPage = lazy(() => import("../pages/you/YouPage"));
const SetFirst = lazy(() => import("../pages/you/SetFirst"));
const RunPage = lazy(() => import("../pages/run/RunPage"));
const FramePage = lazy(() => import("../pages/run/FramePage"));
// The styles that components bring are let in by the page's nonce; nothing else inline is.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const styles = createCache({ key: "vl", ...(nonce && { nonce }) });
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => !(error instanceof Problem) && count < 2,
      // What somebody decided in another window or elsewhere appears when one comes back.
      refetchOnWindowFocus: true,
    },
  },
});

/** The book that was open last in this browser, if it still is to the person. */
const lastBook = (books: readonly { slug: string }[]) =>
  books.find((book) => book.slug === localStorage.getItem(LAST_BOOK))?.slug;

/** Where one begins; one's own page for who comes back from joining an account. */
function opened(book: string) {
  const { search } = window.location;
  return search.startsWith("?sign-on=") ? `/${book}/you${search}` : `/${book}`;
}

function Pages() {
  const session = useSession();
  // Until they say so: codes to be written down are shown once, after the factor is set.
  const [setsFirst, setSetsFirst] = useState(false);
  if (session.data?.second_factor_wanted && !setsFirst) setSetsFirst(true);
  if (session.isPending) return <Loading what="the book" />;
  if (session.error && !session.data) {
    const signedOut = session.error instanceof Problem && [401, 403].includes(session.error.status);
    return signedOut ? <SignInPage /> : <Failure error={session.error} again={() => session.refetch()} />;
  }
  if (setsFirst)
    return (
      <Suspense>
        <SetFirst goOn={() => setSetsFirst(false)} />
      </Suspense>
    );
  const first = session.data.books[0];
  if (!first)
    return (
      <Suspense>
        <FirstBook />
      </Suspense>
    );
  return (
    <>
      <Routes>
        <Route
          path="/"
          element={<Navigate to={opened(lastBook(session.data.books) ?? first.slug)} replace />}
        />
        <Route path="/:book" element={<Shell session={session.data} />}>
          <Route index element={<LedgerPage />} />
          <Route path="entries/:number/:leaf?" element={<EntryPage />} />
          <Route path="arms" element={<ArmsPage />} />
          <Route path="chain" element={<ChainPage />} />
          <Route path="bring" element={<BringPage />} />
          <Route path="bench" element={<BenchPage />} />
          <Route path="bench/plan" element={<PlanPage />} />
          <Route path="bench/rigs" element={<RigsPage />} />
          <Route path="bench/:id" element={<RecordingPage />} />
          <Route path="scenarios" element={<ScenariosPage />} />
          <Route path="scenarios/write" element={<ScenarioForm />} />
          <Route path="scenarios/:id" element={<ScenarioPage />} />
          <Route path="runs" element={<RunsPage />} />
          <Route path="book" element={<BookPage />} />
          <Route path="book/new" element={<NewBookPage />} />
          <Route path="inventory" element={<InventoryPage />} />
          <Route path="laps" element={<LapsPage />} />
          <Route path="laps/:key" element={<LapSheetPage />} />
          <Route path="backlog" element={<BacklogPage />} />
          <Route path="rules" element={<RulesPage />} />
          <Route path="trend" element={<TrendPage />} />
          <Route path="trend/order" element={<OrderPage />} />
          <Route path="trend/:scenario/:rig" element={<LinePage />} />
          <Route path="field/:leaf?" element={<FieldPage />} />
          <Route path="field/models/:key" element={<ModelPage />} />
          <Route path="field/ready" element={<ReadyPage />} />
          <Route path="field/classes/:key" element={<ClassPage />} />
          <Route path="line/:id" element={<LineOfRecording />} />
          <Route path="switched/:id" element={<SwitchedPage />} />
          <Route path="ramp/:id" element={<RampPage />} />
          <Route path="trade/:id" element={<TradePage />} />
          <Route path="hunt/:id" element={<HuntPage />} />
          <Route path="mixture/:id" element={<MixturePage />} />
          <Route path="cores/:id" element={<CoresPage />} />
          <Route path="matrix/:id" element={<MatrixPage />} />
          <Route path="knob/:id" element={<KnobPage />} />
          <Route path="untangled/:id" element={<UntangledPage />} />
          <Route path="statement" element={<StatementPage />} />
          <Route path="you" element={<YouPage />} />
          <Route path="runs/:id" element={<RunPage />} />
          <Route path="runs/:id/frames/:frame" element={<FramePage />} />
          <Route path="*" element={<Failure error={new Problem(404, "not-found", "")} />} />
        </Route>
      </Routes>
      <SignInOver />
      <Leaving />
    </>
  );
}

// A router with data, though it loads none: leaving a page with something unsent can be asked about.
const router = createBrowserRouter([{ path: "*", element: <Pages /> }]);

export function App() {
  return (
    <CacheProvider value={styles}>
      <ThemeProvider theme={theme} defaultMode="system">
        <CssBaseline enableColorScheme />
        <QueryClientProvider client={queries}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </ThemeProvider>
    </CacheProvider>
  );
}
