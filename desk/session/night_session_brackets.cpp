#include "core/night/stack_brackets.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

namespace pathmark::desk {

void NightSession::bracketStack(int first, int last) {
    if (!keepsBrackets(first) || !keepsBrackets(last)) {
        return;
    }
    const auto& lights = *snapshot_->lights;
    const auto& from = lights[static_cast<std::size_t>(first)];
    const auto& to = lights[static_cast<std::size_t>(last)];
    auto change = night::withBracket(lights, *snapshot_->decided, from.frame, to.frame);
    if (!change) {
        emit failed(message(change.error()));
        return;
    }
    int count = 0;
    for (const auto& bracket : change->brackets) {
        if (std::find(bracket.begin(), bracket.end(), from.frame) != bracket.end()) {
            count = static_cast<int>(bracket.size());
        }
    }
    decide({"stack " + from.raw.filename().string() + " to " + to.raw.filename().string(),
            {*std::move(change)}});
    emit notified(tr("The next run (Ctrl+R) makes a stack of these %n frame(s). Ctrl+Z undoes it.",
                     nullptr,
                     count));
}

void NightSession::dropBracket(int index) {
    if (!keepsBrackets(index)) {
        return;
    }
    const auto& light = snapshot_->lights[static_cast<std::size_t>(index)];
    if (auto change = night::withoutBracket(*snapshot_->lights, *snapshot_->decided, light.frame)) {
        decide({"no bracket about " + light.raw.filename().string(), {*std::move(change)}});
    }
}

void NightSession::beginOrEndBracket() {
    if (!keepsBrackets(frame_)) {
        return;
    }
    const night::FrameId& frame = currentLight()->frame;
    const int start = snapshot_->placeOf(bracketStart_);
    bracketStart_ = start < 0 ? frame : night::FrameId();
    emit bracketStarted(start < 0 ? frame_ : -1);
    if (start < 0) {
        emit notified(tr("A stack begins here. Go to its other end and press the key again; in the "
                         "same frame it ends nothing."));
    } else if (start != frame_) {
        bracketStack(start, frame_);
    }
}

void NightSession::addOnMotion(const night::SeriesId& series,
                               const std::optional<night::BeyondOrbit>& beyond) {
    if (!snapshot_ || !body_.isKnown() ||
        (!beyond && !snapshot_->decided->motions.contains({body_, series}))) {
        return;
    }
    decide({"add " + body_.text() + (beyond ? " on another motion" : " on its orbit"),
            {night::AddOnMotion{body_, series, beyond}}});
    emit notified(beyond ? tr("The next run (Ctrl+R) stacks this body on the motion in hand. "
                              "Ctrl+Z undoes it.")
                         : tr("The next run (Ctrl+R) stacks this body on its orbit again."));
}

bool NightSession::keepsBrackets(int index) {
    if (!snapshot_ || index < 0 || static_cast<std::size_t>(index) >= snapshot_->lights.size()) {
        return false;
    }
    const bool isKnown = snapshot_->lights[static_cast<std::size_t>(index)].frame.isKnown();
    if (!isKnown) {
        emit notified(tr("Frames can be bracketed once the night was run."));
    }
    return isKnown;
}

} // namespace pathmark::desk
