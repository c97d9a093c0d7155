import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Link, Navigate, Route, Routes } from "react-router";
import { listen } from "../api/events";
import { Loading } from "../parts/Notice";
import { useTitle } from "../parts/useTitle";
import { Studies } from "../screens/study/Studies";
import { Guarded } from "./Broken";
import { Carried } from "./Carried";
import { QueueNotice } from "./QueueNotice";
import { TopBar } from "./TopBar";

const BlindPage = lazy(async () => ({ default: (await import("../screens/blind/BlindPage")).BlindPage }));
const ContactPage = lazy(async () => ({
  default: (await import("../screens/contact/ContactPage")).ContactPage,
}));
const EnginesPage = lazy(async () => ({
  default: (await import("../screens/engines/EnginesPage")).EnginesPage,
}));
const ImportPage = lazy(async () => ({
  default: (await import("../screens/imports/ImportPage")).ImportPage,
}));
const ImportsPage = lazy(async () => ({
  default: (await import("../screens/imports/ImportsPage")).ImportsPage,
}));
const MeasuresPage = lazy(async () => ({
  default: (await import("../screens/measures/MeasuresPage")).MeasuresPage,
}));
const PairPage = lazy(async () => ({ default: (await import("../screens/pair/PairPage")).PairPage }));
const PlanPage = lazy(async () => ({ default: (await import("../screens/plan/PlanPage")).PlanPage }));
const Questions = lazy(async () => ({ default: (await import("../screens/plan/Questions")).Questions }));
const QueuePage = lazy(async () => ({ default: (await import("../screens/queue/QueuePage")).QueuePage }));
const ScenePage = lazy(async () => ({ default: (await import("../screens/scenes/ScenePage")).ScenePage }));
const ScenesPage = lazy(async () => ({ default: (await import("../screens/scenes/ScenesPage")).ScenesPage }));
const StudyPage = lazy(async () => ({ default: (await import("../screens/study/StudyPage")).StudyPage }));
const CurvesPage = lazy(async () => ({
  default: (await import("../screens/curves/CurvesPage")).CurvesPage,
}));

const DecidePage = lazy(async () => ({
  default: (await import("../screens/decide/DecidePage")).DecidePage,
}));
const MotionPage = lazy(async () => ({
  default: (await import("../screens/motion/MotionPage")).MotionPage,
}));
const SearchPage = lazy(async () => ({
  default: (await import("../screens/search/SearchPage")).SearchPage,
}));
const TexturesPage = lazy(async () => ({
  default: (await import("../screens/textures/TexturesPage")).TexturesPage,
}));
const RecipesPage = lazy(async () => ({
  default: (await import("../screens/recipes/RecipesPage")).RecipesPage,
}));

export function App() {
  const queries = useQueryClient();
  useEffect(() => listen(queries), [queries]);
  return (
    <div className="flex h-dvh flex-col print:block print:h-auto">
      <TopBar />
      <QueueNotice />
      <main className="min-h-0 flex-1 overflow-auto print:overflow-visible" id="main">
        <Guarded>
          <Suspense fallback={<Loading what="page" />}>
            <Routes>
              <Route path="/" element={<Studies />} />
              <Route path="/studies" element={<Navigate to="/" replace />} />
              <Route path="/studies/new" element={<Questions />} />
              <Route path="/studies/plan" element={<PlanPage />} />
              <Route path="/studies/:id/plan" element={<PlanPage />} />
              <Route path="/queue" element={<QueuePage />} />
              <Route path="/studies/:id" element={<StudyPage />} />
              <Route path="/studies/:id/measures" element={<MeasuresPage />} />
              <Route path="/studies/:id/curves" element={<CurvesPage />} />
              <Route path="/studies/:id/decide" element={<DecidePage />} />
              <Route path="/studies/:id/motion" element={<MotionPage />} />
              <Route path="/studies/:id/search" element={<SearchPage />} />
              <Route path="/textures" element={<TexturesPage />} />
              <Route path="/recipes" element={<RecipesPage />} />
              <Route path="/studies/:id/contact-sheet" element={<ContactPage />} />
              <Route path="/pairs/:id" element={<PairPage />} />
              <Route path="/blind/:id" element={<BlindPage />} />
              <Route path="/scenes" element={<ScenesPage />} />
              <Route path="/scenes/:name" element={<ScenePage />} />
              <Route path="/engines" element={<EnginesPage />} />
              <Route path="/imports" element={<ImportsPage />} />
              <Route path="/imports/:id" element={<ImportPage />} />
              <Route path="*" element={<Nowhere />} />
            </Routes>
          </Suspense>
        </Guarded>
      </main>
      <Carried />
    </div>
  );
}

function Nowhere() {
  useTitle("Nothing here");
  return (
    <div className="p-6">
      <h1 className="font-semibold text-xl">There is nothing at this address.</h1>
      <p className="mt-2">
        Go to{" "}
        <Link className="quiet-link" to="/">
          the studies
        </Link>
        .
      </p>
    </div>
  );
}
