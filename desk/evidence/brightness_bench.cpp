#include "desk/evidence/brightness_bench.h"

#include "desk/evidence/place_on_frame.h"
#include "desk/session/night_session.h"
#include "desk/shell/words.h"

#include <QVBoxLayout>

#include <cmath>

namespace pathmark::desk {
namespace {

/// Mean and scatter of what is kept, in each band.
QString summaryOf(const Measurements& measurements) {
    struct Sums {
        int count = 0;
        double sum = 0.0;
        double squares = 0.0;
    };

    std::map<std::string, Sums> bands;
    for (const auto& m : measurements) {
        if (m.seen && m.magnitude && m.state == night::MeasurementState::Kept) {
            Sums& of = bands[m.band];
            ++of.count;
            of.sum += *m.magnitude;
            of.squares += *m.magnitude * *m.magnitude;
        }
    }
    QStringList parts;
    for (const auto& [band, of] : bands) {
        const double mean = of.sum / of.count;
        const double scatter =
            of.count > 1
                ? std::sqrt(std::max(0.0, of.squares - of.count * mean * mean) / (of.count - 1))
                : 0.0;
        parts << Words::tr("%1 %2, scatter %3 mag, %n measurement(s)", nullptr, of.count)
                     .arg(QString::fromStdString(band))
                     .arg(mean, 0, 'f', 3)
                     .arg(scatter, 0, 'f', 3);
    }
    return parts.join("; ");
}

} // namespace

std::vector<PlotSet> brightnessSets(const Measurements& measurements,
                                    const std::map<night::FrameId, double>& predicted) {
    PlotSet kept{Words::tr("kept"), 0, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet others{Words::tr("not kept"), 0, PlotRole::Quiet, PlotMark::Lozenge, false, {}};
    std::vector<PlotSet> sets{kept, others, kept, others};
    sets[2].panel = sets[3].panel = 1;
    for (std::size_t i = 0; i < measurements.size(); ++i) {
        const auto& m = measurements[i];
        if (!m.seen || !m.magnitude) {
            continue;
        }
        const std::size_t set = m.state == night::MeasurementState::Kept ? 0 : 1;
        PlotPoint point{plotTime(m.time), *m.magnitude, m.magnitudeError, static_cast<int>(i), {}};
        sets[set].points.push_back(point);
        if (const auto known = predicted.find(m.frame); known != predicted.end()) {
            point.y -= known->second;
            sets[2 + set].points.push_back(point);
        }
    }
    return sets;
}

BrightnessBench::BrightnessBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), title_(new QLabel), plot_(new Plot) {
    setObjectName("brightness");
    title_->setWordWrap(true);
    title_->setTextFormat(Qt::PlainText);
    plot_->setObjectName("brightnessPlot");
    plot_->setAccessibleName(tr("Brightness of the body in hand against time"));
    plot_->setLeastHeight(240);
    plot_->setAxes({tr("UTC"), true},
                   {{tr("magnitude"), false, false, {}, {}, true},
                    {tr("less predicted V"), false, false, {}, {}, true}});
    plot_->setEmptyText(tr("No magnitude measured yet"));
    plot_->setWords([this](int index) { return wordsOf(index); });
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(plot_, 1);
    connect(plot_, &Plot::picked, this, &BrightnessBench::pick);
    connect(&session_, &NightSession::bodyChanged, this, &BrightnessBench::refresh);
    connect(&session_, &NightSession::measurementsChanged, this, &BrightnessBench::refresh);
}

BenchInfo BrightnessBench::info() const {
    return {"brightness",
            tr("Brightness of the body in hand"),
            Stage::Measure,
            {200, 650, 430},
            Qt::Key_U};
}

QString BrightnessBench::wordsOf(int index) const {
    const auto& m = measurements_[static_cast<std::size_t>(index)];
    return QString("%1 UTC: %2 %3 ± %4, S/N %5, %6")
        .arg(QString::fromStdString(toIso(m.time, 0)).mid(11, 8))
        .arg(QString::fromStdString(m.band))
        .arg(*m.magnitude, 0, 'f', 3)
        .arg(m.magnitudeError, 0, 'f', 3)
        .arg(m.snr, 0, 'f', 1)
        .arg(night::name(m.state));
}

void BrightnessBench::refresh() {
    if (!isShown_) {
        return;
    }
    measurements_ = session_.currentMeasurements();
    const orbit::BodyId body = session_.currentBody();
    std::map<night::FrameId, double> predicted;
    if (const NightSnapshot* night = session_.night()) {
        for (const auto& p : *night->predictions) {
            if (p.body == body && p.magnitude) {
                predicted[p.frame] = *p.magnitude;
            }
        }
    }
    const QString name = QString::fromStdString(body.text());
    const QString summary = summaryOf(measurements_);
    title_->setText(name.isEmpty()      ? tr("No body in hand")
                    : summary.isEmpty() ? name
                                        : name + ": " + summary);
    plot_->setSets(brightnessSets(measurements_, predicted));
    setFrame(session_.currentFrame());
}

void BrightnessBench::setShown(bool shown) {
    isShown_ = shown;
    refresh();
}

void BrightnessBench::setFrame(int index) {
    const NightSnapshot* night = session_.night();
    if (!isShown_ || night == nullptr || index < 0) {
        return;
    }
    const auto& frame = night->lights[static_cast<std::size_t>(index)].frame;
    plot_->setChosen(placeOnFrame(measurements_, frame));
}

void BrightnessBench::pick(int index) {
    plot_->setChosen(index);
    if (const auto& m = measurements_[static_cast<std::size_t>(index)]; !m.onStack) {
        session_.setFrameOf(m.frame);
    }
}

} // namespace pathmark::desk
