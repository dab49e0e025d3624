#include "desk/comet/comet_bench.h"

#include "desk/comet/comet_plots.h"
#include "desk/evidence/place_on_frame.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/sky/sky_view.h"

#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {

CometBench::CometBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), sky_(sky), looking_(session.jobs(), 1),
      title_(new QLabel), plot_(new Plot), words_(new QLabel) {
    setObjectName("comet");
    title_->setObjectName("cometTitle");
    words_->setObjectName("cometWords");
    for (QLabel* label : {title_, words_}) {
        label->setTextFormat(Qt::PlainText);
        label->setWordWrap(true);
    }
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    plot_->setObjectName("cometPlot");
    plot_->setAccessibleName(tr("Light of the comet, its dust and its coma against the radius"));
    plot_->setLeastHeight(230);
    plot_->setAxes({tr("radius about the nucleus, ″")},
                   {{tr("magnitude within"), false, false, {}, {}, true},
                    {tr("A(θ)fρ, cm")},
                    {tr("coma, mag/arcsec²"), false, false, {}, {}, true}});
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(plot_, 1);
    layout->addWidget(words_);
    connect(plot_, &Plot::picked, this, &CometBench::showCircle);
    connect(&session_, &NightSession::bodyChanged, this, &CometBench::refresh);
    connect(&session_, &NightSession::nightChanged, this, [this] {
        looking_.drop();
        frame_ = {};
        refresh();
    });
}

BenchInfo CometBench::info() const {
    return {"comet",
            tr("The comet in hand, circle by circle"),
            Stage::Measure,
            {180, 640, 460},
            Qt::SHIFT | Qt::Key_C};
}

void CometBench::addCommands(Commands& commands) {
    const auto add = [&](const char* id, const QString& words, Qt::Key key, int by) {
        commands.add({QString("comet.") + id,
                      tr("Comet"),
                      words,
                      {key},
                      [this, by] { showCircle(circle_ + by); },
                      [this] { return isShown_ && look_.has_value(); }});
    };
    add("smaller", tr("Smaller circle"), Qt::Key_Comma, -1);
    add("larger", tr("Larger circle"), Qt::Key_Period, 1);
}

void CometBench::setFrame(int) {
    refresh();
}

void CometBench::setShown(bool shown) {
    isShown_ = shown;
    if (!shown) {
        sky_.setRing({});
    }
    refresh();
}

/// Where the body in hand was measured on the frame in hand, or else is predicted.
std::optional<SkyPos> CometBench::place() const {
    const NightSnapshot* night = session_.night();
    const night::LightRecord* light = session_.currentLight();
    const auto measurements = session_.currentMeasurements();
    if (const int at = placeOnFrame(measurements, light->frame); at >= 0) {
        const auto& m = measurements[static_cast<std::size_t>(at)];
        return m.seen ? m.sky : m.predicted;
    }
    const auto* predicted = night->predictionOn(*light, session_.currentBody());
    return predicted == nullptr ? std::nullopt : std::optional(predicted->sky);
}

void CometBench::clear(const QString& why) {
    look_.reset();
    frame_ = {};
    circle_ = -1;
    plot_->setEmptyText(why);
    plot_->setSets({});
    words_->setText({});
    sky_.setRing({});
}

void CometBench::refresh() {
    const night::LightRecord* light = session_.currentLight();
    if (!isShown_ || session_.night() == nullptr || light == nullptr) {
        return;
    }
    const QString body = QString::fromStdString(session_.currentBody().text());
    title_->setText(body.isEmpty() ? tr("No body in hand")
                                   : QString("%1 · %2 UTC").arg(body, timeWords(light->middle)));
    if (light->frame == frame_ && session_.currentBody() == body_) {
        return;
    }
    if (body.isEmpty() || !light->solved() || light->calibrated == light->raw || !place()) {
        clear(tr("The body in hand is on no calibrated and solved frame in hand"));
        return;
    }
    look();
}

void CometBench::look() {
    if (looking_.isBusy()) {
        return; // what is asked for by then follows
    }
    const night::LightRecord* light = session_.currentLight();
    frame_ = light->frame;
    body_ = session_.currentBody();
    look_.reset();
    plot_->setSets({});
    plot_->setEmptyText(tr("Measuring …"));
    looking_.start(
        [wish = night::CometWish{*light, body_, *place()},
         sources = session_.sources()](const Job& job) -> Result<night::CometLook> {
            const auto all = sources->all(job);
            if (!all) {
                return fail(all.error());
            }
            return night::lookAtComet(wish, *all);
        },
        [this, frame = frame_](Result<night::CometLook> look) { take(frame, std::move(look)); });
}

void CometBench::take(const night::FrameId& frame, Result<night::CometLook> look) {
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || light->frame != frame || session_.currentBody() != body_) {
        frame_ = {};
        refresh();
        return;
    }
    if (!look) {
        const QString why = message(look.error());
        clear(why);
        frame_ = frame; // asking again would say the same
        return;
    }
    look_ = std::move(*look);
    plot_->setSets(cometSets(*look_));
    showCircle(static_cast<int>(look_->circles.size()) / 2);
}

/// The circle in hand, in words, in the plot and as a ring on the Sky.
void CometBench::showCircle(int circle) {
    if (!look_ || look_->circles.empty()) {
        return;
    }
    circle_ = std::clamp(circle, 0, static_cast<int>(look_->circles.size()) - 1);
    plot_->setChosen(circle_);
    QString words = cometWords(*look_, circle_);
    const auto measurements = session_.currentMeasurements();
    const std::vector<night::MeasurementRecord> own(measurements.begin(), measurements.end());
    const double radius = look_->circles[static_cast<std::size_t>(circle_)].radiusArcsec;
    if (const auto colour = night::cometColour(own, frame_, radius)) {
        words += '\n' + colourWords(*colour);
    }
    words_->setText(words);
    sky_.setRing(SkyView::Ring{look_->nucleus.sky,
                               look_->circles[static_cast<std::size_t>(circle_)].radiusArcsec});
}

} // namespace pathmark::desk
