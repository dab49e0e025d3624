#include "desk/solve/solve_controller.h"

#include "desk/shell/commands.h"
#include "desk/sky/sky_view.h"
#include "desk/solve/solve_bench.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kTurnDegrees = 1.0;  ///< of one notch of the wheel
constexpr double kScaleFactor = 1.01; ///< of one notch
constexpr double kFine = 0.1;         ///< with Shift held
constexpr double kNudge = 1.0;        ///< screen pixels
constexpr double kFarNudge = 10.0;    ///< times as far

} // namespace

SolveController::SolveController(NightSession& session, SkyView& sky, QObject* parent)
    : QObject(parent), session_(session), sky_(sky), look_(session), hand_(session, look_),
      bench_(new SolveBench(hand_)) {
    connect(&look_, &FrameStarSearch::changed, this, [this] {
        chosen_ = -1;
        bench_->setStars(shownStars(), look_.state());
        bench_->refreshHandFit();
        showMarks();
    });
    connect(&sky_, &SkyView::pictureShown, this, &SolveController::showMarks);
    connect(bench_, &SolveBench::frameChosen, &session_, &NightSession::setFrame);
    connect(bench_, &SolveBench::starChosen, this, &SolveController::choose);
    connectHand();
}

void SolveController::connectHand() {
    connect(&hand_, &HandFitSession::began, this, [this] {
        session_.setShowsOwnPixels(true);
        sky_.setHandMode(true);
        bench_->showPage(SolveBench::Hand);
    });
    connect(&hand_, &HandFitSession::left, this, [this] {
        session_.setShowsOwnPixels(false);
        sky_.setHandMode(false);
        bench_->showPage(SolveBench::Field);
    });
    connect(&hand_, &HandFitSession::changed, this, [this] {
        bench_->setStars(shownStars(), look_.state());
        bench_->refreshHandFit();
        showMarks();
    });
    connect(&sky_, &SkyView::handDragged, &hand_, &HandFitSession::drag);
    connect(&sky_,
            &SkyView::handWheel,
            this,
            [this](double notches, frame::PixelPos about, Qt::KeyboardModifiers keys) {
                const double steps = notches * ((keys & Qt::ShiftModifier) != 0 ? kFine : 1.0);
                if ((keys & Qt::ControlModifier) != 0) {
                    hand_.scale(std::pow(kScaleFactor, steps), about);
                } else {
                    hand_.turn(kTurnDegrees * steps, about);
                }
            });
}

void SolveController::setShown(bool shown) {
    shown_ = shown;
    if (!shown) {
        hand_.leave();
    }
    look_.setWanted(shown);
    showMarks();
}

void SolveController::toggleMarks() {
    marks_ = !marks_;
    showMarks();
}

std::shared_ptr<const night::FrameStars> SolveController::shownStars() const {
    return hand_.locked() ? hand_.locked() : look_.stars();
}

std::vector<StarMark> SolveController::accountMarks(const night::FrameStars& stars) const {
    std::vector<StarMark> marks;
    for (std::size_t i = 0; i < stars.stars.size(); ++i) {
        const auto& star = stars.stars[i];
        StarMark mark;
        mark.chosen = static_cast<int>(i) == chosen_;
        switch (star.status) {
        case solve::MatchStatus::Used: mark.kind = StarMarkKind::Matched; break;
        case solve::MatchStatus::Rejected: mark.kind = StarMarkKind::Rejected; break;
        case solve::MatchStatus::Unclear: mark.kind = StarMarkKind::Unclear; break;
        case solve::MatchStatus::SourceOnly: mark.kind = StarMarkKind::SourceOnly; break;
        case solve::MatchStatus::StarOnly: mark.kind = StarMarkKind::StarOnly; break;
        }
        mark.place = star.pixel;
        marks.push_back(mark);
    }
    return marks;
}

/// A frame without a solution: what was found in it.
std::vector<StarMark> SolveController::sourceMarks(const night::FrameStars& stars) {
    std::vector<StarMark> marks;
    for (const auto& source : stars.detection.sources) {
        marks.push_back({StarMarkKind::SourceOnly, {source.x, source.y}, false, 0.0});
    }
    return marks;
}

std::vector<StarMark> SolveController::handMarks() const {
    std::vector<StarMark> marks;
    const auto& field = hand_.field(); // the brightest first
    const double span = field.empty() ? 1.0 : hand_.faintest() - field.front().magG;
    for (std::size_t i = 0; i < field.size(); ++i) {
        if (const auto place = hand_.wcs().toPixel(field[i].place)) {
            // Patterns are known by their bright stars.
            const double weight = (hand_.faintest() - field[i].magG) / std::max(span, 1.0);
            marks.push_back(
                {hand_.coincidence().coincides[i] ? StarMarkKind::Matched : StarMarkKind::StarOnly,
                 *place,
                 false,
                 weight});
        }
    }
    return marks;
}

std::vector<StarMark> SolveController::marksNow() const {
    const Picture* picture = sky_.picture();
    if (!shown_ || !marks_ || picture == nullptr || session_.showsStack()) {
        return {};
    }
    if (hand_.isOn() && !hand_.locked()) {
        // The frame on its own pixels may still be on its way.
        return picture->wcs ? std::vector<StarMark>() : handMarks();
    }
    const auto stars = shownStars();
    if (!stars) {
        return {};
    }
    if (stars->solution) {
        return accountMarks(*stars);
    }
    return picture->wcs ? std::vector<StarMark>() : sourceMarks(*stars);
}

void SolveController::showMarks() {
    sky_.setStarMarks(marksNow());
}

void SolveController::choose(int star) {
    chosen_ = star;
    bench_->setChosen(star);
    const auto stars = shownStars();
    if (stars && stars->solution && sky_.picture() != nullptr) {
        sky_.centreOn(stars->stars[static_cast<std::size_t>(star)].pixel);
    }
    showMarks();
}

void SolveController::nudge(QPointF by) {
    const QPointF middle(0.5 * sky_.width(), 0.5 * sky_.height());
    hand_.drag(sky_.toPixel(middle), sky_.toPixel(middle + by));
}

BenchInfo SolveController::info() const {
    return {"solve", tr("Solve"), Stage::Solve, {180, 600, 500}};
}

QWidget* SolveController::widget() {
    return bench_;
}

void SolveController::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    bench_->setNight(night.get());
}

void SolveController::setFrame(int index) {
    bench_->setFrame(index);
    showMarks();
}

void SolveController::addCommands(Commands& commands) {
    const auto isSeen = [this] { return shown_ && !hand_.isOn(); };
    commands.add({"solve.marks",
                  tr("Solve"),
                  tr("Show or hide the marks of stars"),
                  {Qt::Key_M},
                  [this] { toggleMarks(); },
                  isSeen});
    commands.add({"solve.hand-fit",
                  tr("Solve"),
                  tr("Fit the catalogue by hand"),
                  {Qt::Key_G},
                  [this] { hand_.begin(); },
                  isSeen});
    addHandCommands(commands);
}

void SolveController::addHandCommands(Commands& commands) {
    const auto isOn = [this] { return hand_.isOn(); };
    const auto add =
        [&](const char* id, const QString& words, const QList<QKeySequence>& keys, auto act) {
            commands.add({QString("hand-fit.") + id, tr("Hand fit"), words, keys, act, isOn});
        };
    add("lock", tr("Lock onto the stars, then keep"), {Qt::Key_Return, Qt::Key_Enter}, [this] {
        hand_.locked() ? hand_.keep(false) : hand_.lock();
    });
    add("keep-series",
        tr("Keep for the series"),
        {Qt::SHIFT | Qt::Key_Return, Qt::SHIFT | Qt::Key_Enter},
        [this] { hand_.locked() ? hand_.keep(true) : hand_.lock(); });
    add("flip", tr("Mirror the catalogue"), {Qt::Key_V}, [this] { hand_.flip(); });
    add("fewer", tr("Show fewer stars"), {Qt::Key_Comma}, [this] { hand_.showFainter(-1); });
    add("more", tr("Show more stars"), {Qt::Key_Period}, [this] { hand_.showFainter(1); });
    add("restart", tr("Back to the start"), {Qt::Key_Backspace}, [this] { hand_.backToStart(); });
    add("leave", tr("Leave the hand fit"), {Qt::Key_Escape}, [this] { hand_.leave(); });

    struct Nudge {
        const char* id;
        QString words;
        Qt::Key key;
        QPointF by;
    };

    const Nudge nudges[] = {{"left", tr("Catalogue to the left"), Qt::Key_Left, {-kNudge, 0.0}},
                            {"right", tr("Catalogue to the right"), Qt::Key_Right, {kNudge, 0.0}},
                            {"up", tr("Catalogue up"), Qt::Key_Up, {0.0, -kNudge}},
                            {"down", tr("Catalogue down"), Qt::Key_Down, {0.0, kNudge}}};
    for (const Nudge& one : nudges) {
        add(one.id, one.words, {one.key}, [this, by = one.by] { nudge(by); });
    }
    for (const Nudge& one : nudges) {
        add((QString(one.id) + "-far").toLatin1().constData(),
            tr("%1, ten pixels").arg(one.words),
            {Qt::SHIFT | one.key},
            [this, by = kFarNudge * one.by] { nudge(by); });
    }
}

} // namespace pathmark::desk
