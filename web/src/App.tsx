/** Which screen stands at which address. */
import Box from "@mui/material/Box";
import { Navigate, Route, Routes } from "react-router";
import { useMe, useVocabulary } from "./api/queries";
import { Bar } from "./frame/Bar";
import { CaseFrame } from "./frame/CaseFrame";
import { KeysHelp } from "./frame/KeysHelp";
import type { Schemas } from "./api/client";
import { Fetching, Said } from "./parts/Said";
import { Brief } from "./screens/Brief";
import { Compare } from "./screens/Compare";
import { NewRows } from "./screens/newRows/NewRows";
import { Data } from "./screens/data/Data";
import { Decision } from "./screens/Decision";
import { Docket } from "./screens/Docket";
import { Evidence } from "./screens/Evidence";
import { Findings } from "./screens/findings/Findings";
import { Holding } from "./screens/Holding";
import { InboxScreen } from "./screens/InboxScreen";
import { Letters } from "./screens/Letters";
import { Methods } from "./screens/methods/Methods";
import { Models } from "./screens/Models";
import { ModelScreen } from "./screens/ModelScreen";
import { AccountScreen } from "./screens/people/AccountScreen";
import { People } from "./screens/people/People";
import { Confirmed } from "./screens/Confirmed";
import { Welcome } from "./screens/people/Welcome";
import { Overrides } from "./screens/policies/Overrides";
import { Policies } from "./screens/policies/Policies";
import { Templates } from "./screens/policies/Templates";
import { PolicyScreen } from "./screens/policies/PolicyScreen";
import { Plan } from "./screens/plan/Plan";
import { RecordScreen } from "./screens/record/RecordScreen";
import { RowsBehind } from "./screens/RowsBehind";
import { Report } from "./screens/report/Report";
import { Retention } from "./screens/Retention";
import { SearchScreen } from "./screens/search/SearchScreen";
import { SecurityLog } from "./screens/SecurityLog";
import { SignIn } from "./screens/SignIn";
import { You } from "./screens/You";
import { DraftDesk } from "./screens/submit/DraftDesk";
import { Submit } from "./screens/submit/Submit";

export function App() {
  const me = useMe();
  if (location.pathname === "/welcome") return <Welcome />;
  if (location.pathname === "/confirmed") return <Confirmed />;
  if (me.isPending) return <Fetching what="your session" />;
  if (!me.data) return <SignIn />;
  return <Pages me={me.data} />;
}

/** What stands behind the sign-in, once it is known what this server calls things. */
function Pages({ me }: { me: Schemas["PersonView"] }) {
  const vocabulary = useVocabulary();
  if (vocabulary.isPending) return <Fetching what="the words" />;
  if (!vocabulary.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={vocabulary.error} />
      </Box>
    );
  return (
    <Box
      sx={{
        display: "flex",
        flexDirection: "column",
        height: "100vh",
        "@media print": { display: "block", height: "auto" },
      }}
    >
      <Bar me={me} />
      <KeysHelp />
      <Routes>
        <Route path="/" element={<Docket />} />
        <Route path="/submit" element={<Submit />} />
        <Route path="/submit/:draftId" element={<DraftDesk />} />
        <Route path="/inbox" element={<InboxScreen />} />
        <Route path="/search" element={<SearchScreen />} />
        <Route path="/models" element={<Models />} />
        <Route path="/models/:modelKey" element={<ModelScreen />} />
        <Route path="/you" element={<You />} />
        <Route path="/holding" element={<Holding me={me} />} />
        <Route path="/letters" element={<Letters />} />
        <Route path="/record" element={<RecordScreen verifies={me.roles.some((role) => role !== "owner")} />} />
        <Route path="/retention" element={<Retention />} />
        <Route path="/methods" element={<Methods />} />
        <Route path="/policies" element={<Policies />} />
        <Route path="/policies/templates" element={<Templates />} />
        <Route path="/policies/overrides" element={<Overrides />} />
        <Route path="/policies/:policyId" element={<PolicyScreen />} />
        <Route path="/people" element={<People />} />
        <Route path="/people/:personId" element={<AccountScreen me={me} />} />
        <Route path="/security" element={<SecurityLog />} />
        <Route path="/cases/:caseId" element={<CaseFrame />}>
          <Route index element={<Navigate to="brief" replace />} />
          <Route path="brief" element={<Brief />} />
          <Route path="data" element={<Data />} />
          <Route path="plan" element={<Plan />} />
          <Route path="evidence" element={<Evidence />} />
          <Route path="compare" element={<Compare />} />
          <Route path="new-rows" element={<NewRows />} />
          <Route path="rows" element={<RowsBehind />} />
          <Route path="findings" element={<Findings />} />
          <Route path="decision" element={<Decision />} />
          <Route path="report" element={<Report />} />
        </Route>
        <Route
          path="*"
          element={<Box sx={{ p: 3 }}>There is no such page. The docket is under the first link above.</Box>}
        />
      </Routes>
    </Box>
  );
}
