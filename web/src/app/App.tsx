import { Link, Navigate, Route, Routes } from "react-router";
import { NewStudy } from "../screens/NewStudy";
import { PairPage } from "../screens/PairPage";
import { Studies } from "../screens/Studies";
import { StudyPage } from "../screens/StudyPage";
import { TopBar } from "./TopBar";

export function App() {
  return (
    <div className="flex h-dvh flex-col">
      <TopBar />
      <main className="min-h-0 flex-1 overflow-auto" id="main">
        <Routes>
          <Route path="/" element={<Studies />} />
          <Route path="/studies" element={<Navigate to="/" replace />} />
          <Route path="/studies/new" element={<NewStudy />} />
          <Route path="/studies/:id" element={<StudyPage />} />
          <Route path="/pairs/:id" element={<PairPage />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
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
