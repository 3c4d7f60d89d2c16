// SPDX-License-Identifier: MIT
// Names and texts, from the lists that the enumerations are made of.
#include <cammino/check_wiring.h>

#define NAMED_OUTCOME(NAME, name, text)          [CMO_OUTCOME_##NAME] = #name,
#define TEXT_OUTCOME(NAME, name, text)           [CMO_OUTCOME_##NAME] = (text),
#define NAMED_END(NAME, name, text)              [CMO_BY_##NAME] = #name,
#define NAMED_STAGE(NAME, name, text)            [CMO_STAGE_##NAME] = #name,
#define NAMED_ROUTINE(NAME, name, figures, text) [CMO_ROUTINE_##NAME] = #name,
#define NAMED_FIGURE(NAME, name, from, meaning)  [CMO_##NAME] = #name,
#define NAMED_FINDING(NAME, name, text)          [CMO_FINDING_##NAME] = #name,
#define TEXT_FINDING(NAME, name, text)           [CMO_FINDING_##NAME] = (text),

// A name of each, or "?".
#define PICK(names, value)                                                                         \
    ((unsigned)(value) < sizeof(names) / sizeof *(names) ? (names)[value] : "?")

_Static_assert((int)CMO_REPORT_FIGURES <= 32, "a set of a report's figures is 32 bits");
_Static_assert((int)CMO_FINDINGS <= 32, "a set of findings is 32 bits");

const char *cmo_outcome_name(cmo_outcome outcome) {
    static const char *const names[CMO_OUTCOMES] = {"running", CMO_EACH_OUTCOME(NAMED_OUTCOME)};
    return PICK(names, outcome);
}

const char *cmo_outcome_text(cmo_outcome outcome) {
    static const char *const texts[CMO_OUTCOMES] = {"it still runs",
                                                    CMO_EACH_OUTCOME(TEXT_OUTCOME)};
    return PICK(texts, outcome);
}

const char *cmo_by_name(cmo_by by) {
    static const char *const names[CMO_BYS] = {"itself", CMO_EACH_END(NAMED_END)};
    return PICK(names, by);
}

const char *cmo_routine_name(cmo_routine_id routine) {
    static const char *const names[CMO_ROUTINES] = {"none", CMO_EACH_ROUTINE(NAMED_ROUTINE)};
    return PICK(names, routine);
}

const char *cmo_stage_name(cmo_stage stage) {
    static const char *const names[CMO_STAGES] = {CMO_EACH_STAGE(NAMED_STAGE)};
    return PICK(names, stage);
}

const char *cmo_figure_name(cmo_figure figure) {
    static const char *const names[CMO_FIGURES] = {CMO_EACH_REPORT_FIGURE(NAMED_FIGURE)
                                                       CMO_EACH_OTHER_FIGURE(NAMED_FIGURE)};
    return PICK(names, figure);
}

const char *cmo_passed_reason_name(cmo_passed_reason reason) {
    static const char *const names[] = {[CMO_PASSED_NONE] = "none",
                                        [CMO_PASSED_TOO_NARROW] = "too_narrow",
                                        [CMO_PASSED_ONE_SIDED] = "one_sided",
                                        [CMO_PASSED_OUT_OF_PLACE] = "out_of_place",
                                        [CMO_PASSED_TOO_WIDE] = "too_wide"};
    return PICK(names, reason);
}

const char *cmo_finding_name(cmo_finding finding) {
    static const char *const names[CMO_FINDINGS] = {CMO_EACH_FINDING(NAMED_FINDING)};
    return PICK(names, finding);
}

const char *cmo_finding_text(cmo_finding finding) {
    static const char *const texts[CMO_FINDINGS] = {CMO_EACH_FINDING(TEXT_FINDING)};
    return PICK(texts, finding);
}
