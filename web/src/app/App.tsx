import { lazy, Suspense } from "react";
import { Link, Navigate, Route, Routes } from "react-router";
import { Loading } from "../parts/Notice";
import { BlindPage } from "../screens/blind/BlindPage";
import { ContactPage } from "../screens/contact/ContactPage";
import { EnginesPage } from "../screens/engines/EnginesPage";
import { ImportPage } from "../screens/imports/ImportPage";
import { ImportsPage } from "../screens/imports/ImportsPage";
import { MeasuresPage } from "../screens/measures/MeasuresPage";
import { PairPage } from "../screens/pair/PairPage";
import { PlanPage } from "../screens/plan/PlanPage";
import { Questions } from "../screens/plan/Questions";
import { QueuePage } from "../screens/queue/QueuePage";
import { ScenePage } from "../screens/scenes/ScenePage";
import { ScenesPage } from "../screens/scenes/ScenesPage";
import { Studies } from "../screens/study/Studies";
import { StudyPage } from "../screens/study/StudyPage";
import { QueueNotice } from "./QueueNotice";
import { TopBar } from "./TopBar";

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
  return (
    <div className="flex h-dvh flex-col print:block print:h-auto">
      <TopBar />
      <QueueNotice />
      <main className="min-h-0 flex-1 overflow-auto print:overflow-visible" id="main">
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
      </main>
    </div>
  );
}

function Nowhere() {
  return (
    <p className="p-6">
      There is nothing at this address. Go to{" "}
      <Link className="quiet-link" to="/">
        the studies
      </Link>
      .
    </p>
  );
}
