#include "core/night/report/sending_record.h"

#include "core/base/names.h"

namespace pathmark::night {
namespace {

constexpr Names<SendingState, 7> kStateNames{{{SendingState::Waiting, "waiting"},
                                              {SendingState::Underway, "underway"},
                                              {SendingState::Unsure, "unsure"},
                                              {SendingState::Taken, "taken"},
                                              {SendingState::Refused, "refused"},
                                              {SendingState::Mailed, "mailed"},
                                              {SendingState::Withdrawn, "withdrawn"}}};

} // namespace

const char* name(SendingState state) {
    return nameIn(kStateNames, state);
}

std::optional<SendingState> sendingStateNamed(std::string_view name) {
    return valueNamed(kStateNames, name);
}

} // namespace pathmark::night
