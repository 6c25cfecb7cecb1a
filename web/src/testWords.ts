/** The few words that tests of pages need, as a server would send them. */
import { learn } from "./wording";

const word = (name: string, words: string) => ({
  name,
  words,
  outcomes: ["binary"],
  better: "higher",
  scale: "share",
  formula: "",
  source: "",
});

learn({
  families: [],
  measures: [
    word("auc", "AUC"),
    word("true_positive_rate", "true positive rate"),
    word("brier", "Brier score"),
    word("error_rate", "error rate"),
  ],
  comparisons: { gap: "gap in", difference: "difference in" },
  checks: [],
  questions: { 1: "Is the data fit for use?", 2: "Do the claims reproduce?" },
  question_titles: { 1: "Data fit for use?", 2: "Claims reproduce?" },
  short_questions: { 1: "data", 2: "claims" },
  statement_standings: {
    within: "holds",
    near: "holds with reservations",
    outside: "does not hold",
    unsettled: "can't be told",
  },
  standings: {
    within: "within its limit",
    near: "near its limit",
    outside: "outside its limit",
    unsettled: "unsettled: these rows can't tell",
    none: "no limit set",
  },
  severities: { 1: "minor", 2: "moderate", 3: "serious", 4: "critical" },
  model_standings: {},
  condition_states: {},
  condition_acts: {},
  asked_states: {},
  asked_acts: {},
  finding_states: { open: "open", answered: "answered", accepted: "accepted as a risk" },
  finding_acts: { close: "closed it", reopen: "opened it again", comment: "said" },
  finding_answers: { agrees: "agrees", disputes: "disputes it", mended: "has mended it" },
  decisions: { approved: "Approved" },
  outcomes: { binary: "yes/no" },
});
