#include "desk/report/sending_words.h"

#include "desk/report/sending_panel.h"

namespace pathmark::desk {

QString stateWords(night::SendingState state) {
    using night::SendingState;
    switch (state) {
    case SendingState::Waiting: return SendingPanel::tr("○ waits");
    case SendingState::Underway: return SendingPanel::tr("◔ leaving");
    case SendingState::Unsure: return SendingPanel::tr("△ not known whether it arrived");
    case SendingState::Taken: return SendingPanel::tr("● taken");
    case SendingState::Refused: return SendingPanel::tr("✕ refused");
    case SendingState::Mailed: return SendingPanel::tr("● written as mail");
    case SendingState::Withdrawn: return SendingPanel::tr("– taken back");
    }
    return {};
}

} // namespace pathmark::desk
