"""What people and the program do that leaves a trace: every action of the audit, each with its phrase for a screen."""

from __future__ import annotations

from enum import StrEnum


class Action(StrEnum):
    """An audited action: `value` as stored, `phrase` as a sentence's predicate ("Ann <phrase>")."""

    phrase: str

    def __new__(cls, value: str, phrase: str = "") -> Action:
        one = str.__new__(cls, value)
        one._value_ = value
        one.phrase = phrase
        return one

    # Office
    ADD_PERSON = "add person", "added a person"
    OPEN_ACCOUNT = "open account", "opened an account"
    CLOSE_ACCOUNT = "close account", "closed an account"
    SHOW_PERSONAL = "show personal values", "let a person see personal values"
    GIVE_LET_STAND = "give let stand", "let a person accept failing checks"
    TAKE_LET_STAND = "take let stand", "no longer let a person accept failing checks"
    MASK_PERSONAL = "mask personal values", "masked personal values for a person"
    MAKE_KEY = "make API key", "made an API key"
    REVOKE_KEY = "revoke API key", "revoked an API key"
    LET_IN = "let in", "changed who is in a workspace"
    LEAVE_OUT = "leave out", "took people out of a workspace"
    SIGN_IN = "sign in", "signed in"
    FAIL_SIGN_IN = "fail to sign in", "tried to sign in and failed"
    SIGN_OUT = "sign out", "signed out"
    CHANGE_PASSWORD = "change password", "changed their password"
    SET_PASSWORD = "set password", "gave a person a new password"
    ADD_WORKSPACE = "add workspace", "added a workspace"
    ADD_TYPE = "add document type", "added a document type"
    # Gather
    RECEIVE = "receive", "imported papers"
    UNPACK = "unpack", "unpacked papers"
    READ = "read", "read papers"
    READ_AGAIN = "read again", "had papers read again"
    READ_REGION = "read region again", "read parts of pages again"
    UNLOCK = "unlock", "unlocked papers"
    CUT = "cut", "split bundles into papers"
    JOIN = "join again", "joined split bundles again"
    PLACE = "place", "placed papers by type"
    TAKE_ORIGINAL = "take original", "took papers as they were received"
    SET_ASIDE = "set aside", "set papers aside"
    RETURN = "return", "returned papers that were set aside"
    MAKE_SAMPLE = "make sample", "turned live papers into samples"
    ADD_BATCH = "add batch", "added batches"
    PAUSE_BATCH = "pause batch", "paused batches"
    RESUME_BATCH = "resume batch", "resumed batches"
    PRIORITISE_BATCH = "set priority", "changed the priority of batches"
    DELETE_BATCH = "delete batch", "deleted batches"
    ADD_SOURCE = "add source", "added sources"
    SWITCH_ON_SOURCE = "switch on", "switched sources on"
    SWITCH_OFF_SOURCE = "switch off", "switched sources off"
    SET_PHRASES = "set phrases", "changed the phrases of a type"
    GIVE_PAPER = "give paper", "gave papers to people for review"
    PUT_FIRST = "put first", "changed which papers are reviewed first"
    SET_ASIDE_REASONS = "set reasons for setting aside", "changed the reasons that are offered for setting papers aside"
    SET_REVIEW_HOURS = "set review hours", "changed within which time papers are to be settled"
    SAVE_SORTING_POLICY = "save sorting policy", "published policies of sorting"
    # Plan
    CHANGE_PLAN = "change plan", "changed plans"
    CHANGE_LIST = "change list", "changed lists"
    SET_SYNONYMS = "set synonyms", "changed synonyms"
    # Label
    LABEL = "label", "labelled values on samples"
    FINISH_LABELLING = "labelled", "finished labelling samples"
    LABEL_FROM_RECORDS = "label from CSV", "labelled samples from past records"
    LABEL_FROM_FILE = "label from file", "imported labels from files"
    IMPORT_WORDS = "words from ALTO", "imported words from files"
    KEEP_LABEL = "keep", "kept suspicious labels"
    SET_LABELLING = "set labelling", "changed how samples are labelled"
    ASSIGN_TWO = "give to two", "assigned samples to two people"
    FINISH_BLIND = "labelled blind", "finished double labelling of samples"
    SETTLE_DISPUTE = "settle dispute", "settled disputes"
    DEAL_SETS = "deal sets", "divided samples into sets"
    PUT_INTO_SET = "put into set", "moved samples to sets"
    RENAME_LAYOUT = "rename layout", "named layouts"
    MERGE_LAYOUTS = "merge layouts", "merged layouts"
    SPLIT_LAYOUT = "split layout", "split layouts"
    SET_DATE_STYLE = "set date style", "changed how dates are written"
    SET_SERVICE = "set suggestion service", "changed the suggestion service"
    # Train
    START_TRAINING = "start training", "started a training"
    CANCEL_TRAINING = "cancel training", "cancelled trainings"
    TRAINED = "trained", "trained a version"
    TRAINING_FAILED = "training failed", "could not train a version"
    SET_TRAINING = "set training", "changed automatic training"
    PUBLISH = "publish", "published a version"
    IMPORT_VERSION = "import version", "imported a version"
    # Weigh, review, deliver
    SAVE_POLICY = "save policy", "saved a policy"
    SET_CHECKING = "set spot checks", "changed how passed papers are checked"
    BREACH = "breach", "showed by spot checks that a promise was broken"
    RESUME_POLICY = "resume policy", "resumed policies after a breach"
    DRAFT = "draft", "drafted papers"
    ROUTE_AGAIN = "route again", "applied a new policy to papers that waited"
    SETTLE = "settle", "settled fields in review"
    CHECK = "check", "checked values that had passed"
    REOPEN = "reopen", "undid answers in review"
    LET_STAND = "let stand", "let a failing check stand as it is on the paper"
    SEE_WHOLE = "see whole", "saw a whole paper"
    TAKE_BACK_SEEN = "take back seen", "took back that a whole paper was seen"
    DELIVER = "deliver", "delivered results"
    TAKE_DELIVERY = "take delivery", "took deliveries as they were sent"
