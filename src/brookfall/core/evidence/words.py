"""The product's own words, said the same on every page, in the report and on the command line."""

QUESTIONS = {
    1: "Is the data fit for use?",
    2: "Do the claims reproduce?",
    3: "Does it hold up on unseen rows?",
    4: "Has it memorised its training rows?",
    5: "Does it beat something simpler?",
    6: "Does it treat people fairly?",
    7: "Does it make sense?",
}
"""The seven questions, in the order in which a reviewer reads them."""

QUESTION_TITLES = {
    1: "Data fit for use?",
    2: "Claims reproduce?",
    3: "Holds on unseen rows?",
    4: "Memorised its rows?",
    5: "Beats something simpler?",
    6: "Treats people fairly?",
    7: "Makes sense?",
}
"""The same where there is little room."""

SHORT_QUESTIONS = {1: "data", 2: "claims", 3: "unseen rows", 4: "memory", 5: "simpler", 6: "fair", 7: "sense"}

STANDINGS = {
    "within": "within its limit",
    "within_open": "within its limit, some open",
    "near": "near its limit",
    "outside": "outside its limit",
    "unsettled": "unsettled: these rows can't tell",
    "none": "no limit set",
}

STATEMENT_STANDINGS = {
    "within": "holds",
    "near": "holds with reservations",
    "outside": "does not hold",
    "unsettled": "can't be told",
}
"""How what a statement judges stands, in the order in which a reviewer chooses."""

SEVERITIES = {1: "minor", 2: "moderate", 3: "serious", 4: "critical"}

FINDING_STATES = {
    "draft": "draft",
    "open": "open",
    "answered": "answered",
    "retested": "retested",
    "closed": "closed",
    "accepted": "accepted as a risk",
    "withdrawn": "withdrawn",
}
MODEL_STANDINGS = {
    "in_force": "in force",
    "conditional": "conditional",
    "lapsed": "lapsed",
    "superseded": "superseded",
    "withdrawn": "withdrawn",
    "not_approved": "not approved",
    "never_decided": "never decided",
}
CASE_STATES = {
    "waiting": "waiting for a reviewer",
    "in_review": "in review",
    "proposed": "proposed",
    "decided": "decided",
    "withdrawn": "withdrawn",
}
CONDITION_STATES = {
    "open": "to be met",
    "sent": "evidence sent",
    "met": "met",
    "seen": "met, and seen by a countersigner",
}
CONDITION_ACTS = {
    "send": "sent evidence",
    "meet": "judged that it is met",
    "turn_down": "judged that it is not met",
    "see": "has seen that it is met",
    "send_back": "sent it back to be judged again",
    "comment": "commented",
}
QUESTION_STATES = {
    "asked": "waits for the owner",
    "answered": "answered",
    "settled": "settled",
    "withdrawn": "withdrawn",
}
QUESTION_ACTS = {
    "answer": "answered",
    "ask_again": "asked again",
    "settle": "settled it",
    "withdraw": "withdrew it",
    "comment": "said",
}
FINDING_ACTS = {
    "send": "sent it to the owner",
    "answer": "answered",
    "retest": "retested it",
    "close": "closed it",
    "accept": "accepted it as a risk",
    "reopen": "opened it again",
    "withdraw": "withdrew it",
    "discard": "withdrew it before it was sent",
    "comment": "said",
}
FINDING_ANSWERS = {"agrees": "agrees", "disputes": "disputes it", "mended": "has mended it"}

DECISIONS = {
    "approved": "Approved",
    "approved_with_conditions": "Approved with conditions",
    "returned_for_rework": "Returned for rework",
    "not_approved": "Not approved",
}

OUTCOMES = {"binary": "yes/no", "multiclass": "several-class", "number": "number", "choice": "choice"}
