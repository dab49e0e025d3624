#include "desk/benches/match_bench.h"

#include "desk/benches/background_choices.h"
#include "desk/benches/match_map.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/scrolled.h"
#include "desk/sky/sky_view.h"

#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

bool isIn(const calibrate::FrameGroup& group, const night::LightRecord& light) {
    return std::any_of(group.frames.begin(), group.frames.end(), [&](const auto& info) {
        return info.path == light.raw;
    });
}

} // namespace

MatchBench::MatchBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QScrollArea(parent), session_(session), sky_(sky), choices_(new BackgroundChoices),
      mark_(new QPushButton), map_(new MatchMap) {
    setObjectName("matchBench");
    auto* content = new QWidget;
    auto* layout = new QVBoxLayout(content);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(choices_);
    layout->addWidget(mark_);
    layout->addWidget(map_, 1);
    scrollDownwards(*this, content);
    mark_->setObjectName("markComa");
    mark_->setText(tr("Mark a coma: it is no sky"));
    mark_->setCheckable(true);
    mark_->setFocusPolicy(Qt::NoFocus);
    connect(choices_, &BackgroundChoices::chosen, this, [this] {
        session_.decideBackground(choices_->choice());
    });
    connect(&sky_, &SkyView::circleDrawn, this, &MatchBench::mark);
    connect(&sky_, &SkyView::pictureShown, this, &MatchBench::showDiscs);
    connectMap();
}

void MatchBench::connectMap() {
    connect(map_, &MatchMap::chosen, this, &MatchBench::showFrameOf);
    connect(map_,
            &MatchMap::dragged,
            this,
            [this](std::size_t series, calibrate::Role role, std::optional<std::size_t> group) {
                const night::SeriesId id =
                    group ? session_.night()->groups[*group].id : night::SeriesId();
                session_.decideMatch(series, role, calibrate::Override{role, id});
            });
    connect(map_, &MatchMap::takenBack, this, [this](std::size_t series, calibrate::Role role) {
        session_.decideMatch(series, role, std::nullopt);
    });
}

BenchInfo MatchBench::info() const {
    return {"calibrate", tr("Match map"), Stage::Calibrate, {180, 600, 500}};
}

void MatchBench::addCommands(Commands& commands) {
    const auto isSeen = [this] { return isVisible(); };
    commands.add({"calibrate.mark-coma",
                  tr("Frames"),
                  tr("Mark a coma: draw a circle from its middle"),
                  {Qt::Key_P},
                  [this] { setMarking(!mark_->isChecked()); },
                  isSeen});
    commands.add({"calibrate.unmark-coma",
                  tr("Frames"),
                  tr("Take the mark of a coma off this frame"),
                  {Qt::SHIFT | Qt::Key_P},
                  [this] { session_.protectDisc(session_.currentFrame(), std::nullopt); },
                  isSeen});
    commands.bind(*mark_, "calibrate.mark-coma");
}

void MatchBench::setMarking(bool on) {
    mark_->setChecked(on);
    sky_.setCircleMode(on);
}

void MatchBench::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    night_ = night;
    map_->setNight(night.get());
    choices_->setEnabled(night != nullptr && !night->isArchive);
    mark_->setEnabled(choices_->isEnabled());
    if (isShown_) {
        takeDecided();
    }
}

/// Shows what is in force now.
void MatchBench::takeDecided() {
    if (night_) {
        followFrame();
        const night::CalibrationSettings settings = night_->decided->over(night_->calibration);
        choices_->show(settings);
        protected_ = night::ProtectedSky(settings, night_->decided, *night_->frames);
    }
    showDiscs();
}

void MatchBench::setFrame(int) {
    if (isShown_) {
        followFrame();
    }
    showDiscs();
}

/// The map speaks of the frame that the Sky shows.
void MatchBench::followFrame() {
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || !night_) {
        return;
    }
    for (const auto& entry : night_->matches) {
        if (isIn((*night_->groups)[entry.first], *light)) {
            map_->takeInHand(entry.first);
            return;
        }
    }
}

/// The Sky shows a frame of the series that was clicked: the first, where the one in hand is of another.
void MatchBench::showFrameOf(std::size_t series) {
    const auto& group = (*night_->groups)[series];
    const night::LightRecord* light = session_.currentLight();
    if (light != nullptr && isIn(group, *light)) {
        return;
    }
    const auto first = std::find_if(night_->lights.begin(),
                                    night_->lights.end(),
                                    [&](const auto& l) { return isIn(group, l); });
    if (first != night_->lights.end()) {
        session_.setFrame(static_cast<int>(first - night_->lights.begin()));
    }
}

void MatchBench::setShown(bool shown) {
    isShown_ = shown;
    if (shown) {
        takeDecided();
    } else {
        setMarking(false);
        showDiscs();
    }
}

/// How many pixels of the camera's own file one of the picture is wide: two for the cells of a colour camera.
double MatchBench::rawPixelsPerPixel(const frame::FrameInfo& info) const {
    const int width = sky_.picture() != nullptr ? sky_.picture()->values.width() : 0;
    return width == 0 ? 0.0 : std::round(static_cast<double>(info.width) / width);
}

/// The camera's own file of the frame in hand, where discs can be marked on it; null: they cannot.
const frame::FrameInfo* MatchBench::markable() const {
    const night::LightRecord* light = session_.currentLight();
    const bool isFrame = isShown_ && light != nullptr && night_ && !session_.showsStack();
    return isFrame ? night_->infoOf(*light) : nullptr;
}

void MatchBench::showDiscs() {
    if (!isShown_ && !showsDiscs_) {
        return; // nothing there, and nothing to take away
    }
    std::vector<DiscMark> marks;
    const frame::FrameInfo* info = markable();
    const double step = info != nullptr ? rawPixelsPerPixel(*info) : 0.0;
    if (step > 0.0) {
        const bool isMarked = night_->decided->protectedDiscs.contains(info->id);
        for (const calibrate::ProtectedDisc& disc : protected_.on(*info)) {
            marks.push_back(
                {{(disc.centre.x + 0.5) / step - 0.5, (disc.centre.y + 0.5) / step - 0.5},
                 disc.radius / step,
                 isMarked});
        }
    }
    showsDiscs_ = !marks.empty();
    sky_.setDiscs(std::move(marks));
}

void MatchBench::mark(frame::PixelPos centre, double radius) {
    const frame::FrameInfo* info = markable();
    const double step = info != nullptr ? rawPixelsPerPixel(*info) : 0.0;
    if (!isShown_ || step <= 0.0) {
        return;
    }
    session_.protectDisc(
        session_.currentFrame(),
        calibrate::ProtectedDisc{{(centre.x + 0.5) * step - 0.5, (centre.y + 0.5) * step - 0.5},
                                 radius * step});
}

} // namespace pathmark::desk
