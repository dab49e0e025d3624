#include "desk/then/then_bench.h"

#include "desk/picture/named_controls.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/sky/sky_marks.h"
#include "desk/sky/sky_view.h"
#include "desk/theme/theme.h"
#include "desk/then/then_list.h"
#include "desk/then/then_session.h"
#include "desk/then/then_source_row.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QSlider>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kShortest = 250; ///< milliseconds of each picture
constexpr int kLongest = 2000;
constexpr double kRingArcsec = 12.0;
constexpr double kMarkArcsec = 8.0;

} // namespace

ThenBench::ThenBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), sky_(sky), then_(*new ThenSession(session, this)),
      view_(new SkyView), source_(new ThenSourceRow(session)), lay_(namedButton("thenLay")),
      blink_(namedButton("thenBlink")), difference_(namedButton("thenDifference")),
      measure_(namedButton("thenMeasure")), rate_(new QSlider(Qt::Horizontal)), words_(new QLabel),
      list_(new ThenList) {
    setObjectName("thenBench");
    layOut();
    connectAll();
}

void ThenBench::layOut() {
    blink_->setCheckable(true);
    difference_->setCheckable(true);
    rate_->setObjectName("thenRate");
    rate_->setAccessibleName(tr("How fast the pictures change"));
    rate_->setRange(kShortest, kLongest);
    rate_->setInvertedAppearance(true);
    rate_->setValue(600);
    rate_->setFixedWidth(static_cast<int>(scaled(90)));
    view_->setObjectName("thenView");
    view_->setEmptyText(
        tr("Lay an older picture on the frame in hand: of a sky survey, an image, or "
           "another frame."));
    words_->setObjectName("thenWords");
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::PlainText);
    auto* from = new QHBoxLayout;
    from->addWidget(source_, 1);
    from->addWidget(lay_);
    auto* acts = new QHBoxLayout;
    acts->addWidget(blink_);
    acts->addWidget(rate_);
    acts->addWidget(difference_);
    acts->addStretch();
    acts->addWidget(measure_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addLayout(from);
    layout->addWidget(view_, 1);
    layout->addLayout(acts);
    layout->addWidget(words_);
    layout->addWidget(list_);
}

void ThenBench::connectAll() {
    connect(source_, &ThenSourceRow::missing, this, [this](const QString& why) { say(why, true); });
    connect(&then_, &ThenSession::laid, this, [this] {
        difference_->setChecked(false);
        view_->setPicture(then_.picture());
        view_->setLook(sky_.look());
        showMarks();
        setCircle();
        say(tr("%1. Held, %2 shows it in the Sky.").arg(then_.picture()->title, "V"), false);
    });
    connect(&then_, &ThenSession::compared, this, &ThenBench::showLights);
    connect(&then_, &ThenSession::takenOff, this, [this] { showDifference(true); });
    connect(&then_, &ThenSession::failed, this, [this](const QString& why) { say(why, true); });
    connect(&then_,
            &ThenSession::progressed,
            this,
            [this](const QString& stage, int done, int total, double) {
                say(tr("%1: %2 of %3").arg(stage).arg(done).arg(total), false);
            });
    // Both look at the same part, and the cursor of one stands in the other.
    connect(&sky_, &SkyView::looked, this, [this] {
        if (isShown_) {
            view_->setLook(sky_.look());
        }
    });
    connect(view_, &SkyView::looked, this, [this] {
        if (isShown_ && view_->picture() != nullptr) {
            sky_.setLook(view_->look());
        }
    });
    connect(&sky_, &SkyView::cursorOver, this, [this](const SkyPos& place) {
        if (isShown_) {
            view_->setRing(SkyView::Ring{place, kRingArcsec});
        }
    });
    connect(view_, &SkyView::cursorOver, this, [this](const SkyPos& place) {
        if (isShown_) {
            sky_.setRing(SkyView::Ring{place, kRingArcsec});
        }
    });
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        showMarks();
        setCircle();
    });
    connect(&session_, &NightSession::nightChanged, this, &ThenBench::showMarks);
    // What is marked in one stands in both.
    for (SkyView* view : {&sky_, view_}) {
        connect(view, &SkyView::placeClicked, this, [this](const SkyPos& place) {
            if (isShown_ && then_.picture() != nullptr) {
                list_->addMark(place);
            }
        });
        connect(view, &SkyView::pictureShown, this, &ThenBench::showDiscs);
    }
    connect(list_, &ThenList::marksChanged, this, [this] {
        setCircle();
        showDiscs();
    });
    connect(list_, &ThenList::circleChanged, this, &ThenBench::setCircle);
    connect(list_, &ThenList::chosen, this, &ThenBench::goTo);
    connect(&blinking_, &QTimer::timeout, this, [this] { setOver(!isOver_); });
    connect(
        rate_, &QSlider::valueChanged, this, [this](int value) { blinking_.setInterval(value); });
}

BenchInfo ThenBench::info() const {
    return {"then", tr("Then and now"), Stage::Identify, {180, 560, 540}, Qt::SHIFT | Qt::Key_V};
}

void ThenBench::addCommands(Commands& commands) {
    const QString section = tr("Sky");
    const auto isSeen = [this] { return isShown_; };
    const auto hasPicture = [this] { return isShown_ && then_.picture() != nullptr; };
    commands.add({"then.lay",
                  section,
                  tr("Lay the older picture"),
                  {Qt::CTRL | Qt::Key_Return},
                  [this] { then_.isBusy() ? then_.stop() : lay(); },
                  isSeen});
    commands.add({"then.over",
                  section,
                  tr("Then (while held)"),
                  {Qt::Key_V},
                  [this] { setOver(true); },
                  hasPicture,
                  [this] { setOver(false); }});
    commands.add({"then.blink",
                  section,
                  tr("Blink, or stop"),
                  {Qt::CTRL | Qt::Key_B},
                  [this] { setBlinking(!blinking_.isActive()); },
                  hasPicture});
    commands.add({"then.difference",
                  section,
                  tr("Now less then"),
                  {Qt::CTRL | Qt::Key_D},
                  [this] { showDifference(view_->picture() == then_.picture().get()); },
                  hasPicture});
    commands.add({"then.unmark",
                  section,
                  tr("Take the mark away"),
                  {Qt::Key_Delete},
                  [this] { list_->removeMark(); },
                  hasPicture});
    commands.add({"then.measure",
                  section,
                  tr("Measure the light"),
                  {Qt::Key_Return},
                  [this] { measure(); },
                  hasPicture});
    commands.bind(*lay_, "then.lay", tr("Lay"));
    commands.bind(*blink_, "then.blink", tr("Blink"));
    commands.bind(*difference_, "then.difference", tr("Difference"));
    commands.bind(*measure_, "then.measure", tr("Measure"));
    connect(this, &ThenBench::measuring, &commands, [&commands](const SkyPos&) {
        commands.trigger("bench.growth");
    });
}

void ThenBench::setShown(bool shown) {
    isShown_ = shown;
    if (!shown) {
        setBlinking(false);
        setOver(false);
        sky_.setRing({});
        sky_.setDiscs({});
        return;
    }
    showDiscs();
    source_->fillIn();
}

void ThenBench::setFrame(int) {
    // It was laid on another frame.
    setBlinking(false);
    then_.forget();
    isOver_ = false;
    view_->setPicture(nullptr);
    list_->setLights({});
    chosen_.reset();
    difference_->setChecked(false);
    words_->clear();
}

SkyView* ThenBench::skyBeside() {
    return isShown_ && view_->picture() != nullptr ? view_ : nullptr;
}

/// What is marked in the Sky stands in the older picture too.
void ThenBench::showMarks() {
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || then_.picture() == nullptr) {
        view_->setMarks({});
        return;
    }
    view_->setMarks(
        pathMarks(*session_.night(), light->series, light->frame, session_.currentBody()));
}

void ThenBench::lay() {
    if (const auto source = source_->chosen()) {
        say(tr("Laying the older picture …"), false);
        then_.lay(*source);
    }
}

void ThenBench::setOver(bool isOver) {
    if (isOver == isOver_ || (isOver && then_.picture() == nullptr)) {
        return;
    }
    isOver_ = isOver;
    if (isOver) {
        session_.showAside(difference_->isChecked() ? then_.difference() : then_.picture());
    } else {
        session_.showFrame();
    }
}

void ThenBench::setBlinking(bool blinks) {
    blink_->setChecked(blinks);
    if (blinks) {
        blinking_.start(rate_->value());
    } else if (blinking_.isActive()) {
        blinking_.stop();
        setOver(false);
    }
}

/// In the place of the older picture; made when it is first wanted.
void ThenBench::showDifference(bool shown) {
    difference_->setChecked(shown && then_.difference() != nullptr);
    if (shown && then_.difference() == nullptr) {
        say(tr("Taking the older picture off …"), false);
        then_.takeOff();
        return;
    }
    const auto& picture = shown ? then_.difference() : then_.picture();
    view_->setPicture(picture);
    view_->setLook(sky_.look());
    if (isOver_) {
        session_.showAside(picture);
    }
    showMarks();
    say(picture->title, false);
}

/// Marks made by hand and the circle that is listed, in both views.
void ThenBench::showDiscs() {
    for (SkyView* view : {&sky_, view_}) {
        const Picture* picture = view->picture();
        std::vector<DiscMark> discs;
        const auto add = [&](const SkyPos& place, double arcsec, bool isMarked) {
            if (const auto pixel = picture->wcs->toPixel(place)) {
                discs.push_back({*pixel, arcsec / picture->wcs->scaleArcsec(), isMarked});
            }
        };
        if (isShown_ && picture != nullptr && picture->wcs) {
            for (const SkyPos& mark : list_->marks()) {
                add(mark, kMarkArcsec, true);
            }
            if (chosen_) {
                add(*chosen_, kRingArcsec, true);
            }
            if (const auto& circle = then_.circle()) {
                add(circle->middle, circle->radius.arcsec(), false);
            }
        }
        if (isShown_) {
            view->setDiscs(std::move(discs));
        }
    }
}

void ThenBench::showLights() {
    const auto lights = then_.lights();
    const auto now =
        std::count_if(lights.begin(), lights.end(), [](const auto& light) { return light.isNew; });
    list_->setLights(lights);
    say(tr("%1. %2 only now, %3 only then.")
            .arg(then_.picture()->title)
            .arg(now)
            .arg(static_cast<int>(lights.size()) - static_cast<int>(now)),
        false);
}

void ThenBench::setCircle() {
    const night::LightRecord* light = session_.currentLight();
    std::optional<SkyPos> middle;
    if (list_->around() == ThenList::Around::Mark) {
        middle = list_->markInHand();
    } else if (list_->around() == ThenList::Around::Body && light != nullptr) {
        const auto* predicted = session_.night()->predictionOn(*light, session_.currentBody());
        middle = predicted != nullptr ? std::optional(predicted->sky) : std::nullopt;
    }
    then_.setCircle(middle ? std::optional(night::SkyCircle{*middle, list_->radius()})
                           : std::nullopt);
    showDiscs();
    if (isShown_ && !middle && list_->around() != ThenList::Around::WholeField) {
        say(list_->around() == ThenList::Around::Mark
                ? tr("Click a place in either picture to mark it; the whole field is listed.")
                : tr("The body in hand is not on this frame; the whole field is listed."),
            true);
    }
}

/// Both views go to a place of the list, with a ring about it.
void ThenBench::goTo(const SkyPos& place) {
    chosen_ = place;
    if (sky_.picture() != nullptr && sky_.picture()->wcs) {
        if (const auto pixel = sky_.picture()->wcs->toPixel(place)) {
            sky_.centreOn(*pixel);
        }
    }
    showDiscs();
    if (list_->around() == ThenList::Around::Mark) {
        setCircle();
    }
}

/// The page that measures takes the light over; there it is given its name.
void ThenBench::measure() {
    if (const auto place = list_->placeInHand()) {
        setOver(false);
        emit measuring(*place);
        sky_.clickPlace(*place);
    }
}

void ThenBench::say(const QString& text, bool isProblem) {
    setTone(*words_, isProblem ? Tone::Disagrees : Tone::Quiet);
    words_->setText((isProblem ? "△ " : "") + text);
}

} // namespace pathmark::desk
