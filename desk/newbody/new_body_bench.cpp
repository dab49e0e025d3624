#include "desk/newbody/new_body_bench.h"

#include "core/base/sexagesimal.h"
#include "desk/report/report_session.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kComingRow = 22;
constexpr double kNight = -12.0; ///< degrees that the Sun stands below the horizon
constexpr double kUp = 15.0;     ///< degrees that a body stands above it to be seen well

QString comingRange(const orbit::CloudRanges::Range& range) {
    return NewBodyBench::tr("%1 to %2").arg(range.least, 0, 'g', 3).arg(range.most, 0, 'g', 3);
}

QString factWords(const night::NewBodyLook& look) {
    QStringList lines;
    lines << NewBodyBench::tr("It moves %1″ a minute towards %2°; %3° from the Sun%4.")
                 .arg(look.rateArcsecPerMin, 0, 'f', 2)
                 .arg(look.positionAngleDegrees, 0, 'f', 0)
                 .arg(look.fromSun.degrees(), 0, 'f', 0)
                 .arg(look.magnitude
                          ? NewBodyBench::tr(", magnitude %1").arg(*look.magnitude, 0, 'f', 1)
                          : QString());
    lines << NewBodyBench::tr("%n line(s)", nullptr, static_cast<int>(look.lines)) +
                 NewBodyBench::tr(" over %1 hours.").arg(look.arcHours, 0, 'f', 1);
    lines << (look.known.empty()
                  ? "● " + NewBodyBench::tr("It is none of the %n known bodies in its frames.",
                                            nullptr,
                                            static_cast<int>(look.knownInFrames))
                  : "△ " + QString::fromStdString(look.known));
    if (look.ranges) {
        lines << NewBodyBench::tr("%n orbits agree with it: distance %1 au, q %2 au, e %3, i %4°.",
                                  nullptr,
                                  static_cast<int>(look.orbits))
                     .arg(comingRange(look.ranges->distanceAu),
                          comingRange(look.ranges->perihelionAu),
                          comingRange(look.ranges->eccentricity),
                          comingRange(look.ranges->inclinationDegrees));
    }
    if (look.fit && look.errors) {
        const orbit::Elements& e = look.fit->elements;
        lines << NewBodyBench::tr(
                     "One orbit stands for all that agree: q %1 ± %2 au, e %3 ± %4, i %5 ± %6°.")
                     .arg(e.perihelionAu, 0, 'f', 2)
                     .arg(look.errors->perihelionAu, 0, 'g', 2)
                     .arg(e.eccentricity, 0, 'f', 2)
                     .arg(look.errors->eccentricity, 0, 'g', 2)
                     .arg(e.inclination.degrees(), 0, 'f', 1)
                     .arg(look.errors->inclination.degrees(), 0, 'g', 2);
    }
    return lines.join('\n');
}

/// An area to search, in the unit that reads best.
QString spreadWords(Angle angle) {
    const double arcsec = angle.arcsec();
    return arcsec < 90.0     ? QString("%1″").arg(arcsec, 0, 'f', 0)
           : arcsec < 5400.0 ? QString("%1′").arg(arcsec / 60.0, 0, 'f', 0)
                             : QString("%1°").arg(angle.degrees(), 0, 'f', 1);
}

} // namespace

NewBodyBench::NewBodyBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), looking_(session.jobs(), 1), head_(new QLabel),
      facts_(new QLabel), table_(new QTableWidget(0, 7)) {
    setObjectName("newBodyBench");
    head_->setObjectName("newBodyHead");
    head_->setTextFormat(Qt::PlainText);
    facts_->setObjectName("newBodyFacts");
    facts_->setTextFormat(Qt::PlainText);
    facts_->setWordWrap(true);
    facts_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    table_->setObjectName("newBodyComing");
    table_->setAccessibleName(tr("Where it will be"));
    table_->setHorizontalHeaderLabels(
        {tr("UTC"), tr("RA"), tr("Dec"), tr("±"), tr("″/min"), tr("Height"), tr("Sky")});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setShowGrid(false);
    setRowHeight(*table_, kComingRow);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(head_);
    layout->addWidget(facts_);
    layout->addWidget(table_, 1);
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        if (isVisible()) {
            refresh();
        }
    });
}

BenchInfo NewBodyBench::info() const {
    return {"new-body",
            tr("A new body: motion, orbits, where it will be"),
            Stage::Identify,
            {170, 490, 620},
            {Qt::CTRL | Qt::Key_N}};
}

void NewBodyBench::addCommands(Commands& commands) {
    commands.add({"new-body.copy",
                  tr("New body"),
                  tr("Copy where it will be, as text"),
                  {Qt::CTRL | Qt::SHIFT | Qt::Key_C},
                  [this] { copy(); },
                  [this] { return isVisible() && look_.has_value(); }});
}

void NewBodyBench::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    night_ = night;
    if (isVisible()) {
        refresh();
    }
}

void NewBodyBench::setShown(bool shown) {
    if (shown) {
        refresh();
    }
}

void NewBodyBench::refresh() {
    looking_.drop();
    look_.reset();
    table_->setRowCount(0);
    const orbit::BodyId body = session_.currentBody();
    const bool isNew =
        night_ != nullptr &&
        std::any_of(night_->bodies.begin(), night_->bodies.end(), [&](const BodyView& view) {
            return view.id == body && view.candidate;
        });
    head_->setText(QString::fromStdString(body.text()));
    if (!isNew) {
        facts_->setText(tr("Choose a candidate on the left: a body that no list knows."));
        return;
    }
    facts_->setText(tr("Looking for orbits that agree …"));
    looking_.start(
        [night = night_, body, kept = session_.sources()](
            const Job& job) -> Result<night::NewBodyLook> {
            const auto sources = kept->orbits(job);
            if (!sources) {
                return fail(sources.error());
            }
            const Utc last = night->lights->empty() ? Utc() : night->lights->back().middle;
            return night::lookAtNewBody(
                **sources, reportedOf(*night), body, {last, 24.0, 1.0}, job.stop);
        },
        [this](const Result<night::NewBodyLook>& look) { show(look); });
}

void NewBodyBench::show(const Result<night::NewBodyLook>& look) {
    if (!look) {
        facts_->setText("△ " + message(look.error()));
        return;
    }
    look_ = *look;
    head_->setText(QString::fromStdString(look->name));
    facts_->setText(factWords(*look));
    table_->setRowCount(static_cast<int>(look->coming.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const night::ComingPlace& place = look->coming[static_cast<std::size_t>(row)];
        const orbit::MotionBounds& b = place.bounds;
        const bool isDark = place.sunHeight.degrees() < kNight;
        const bool isSeen = isDark && place.height.degrees() > kUp;
        const QStringList cells{QString::fromStdString(toIso(b.time, 0)).left(16).replace('T', ' '),
                                QString::fromStdString(toHours(b.sky.longitude, 0)),
                                QString::fromStdString(toDegrees(b.sky.latitude, 0)),
                                spreadWords(b.place.major),
                                QString::number(b.rateArcsecPerMin, 'f', 2),
                                QString("%1°").arg(std::lround(place.height.degrees())),
                                isSeen   ? tr("● dark and high")
                                : isDark ? tr("dark")
                                         : tr("day or twilight")};
        for (int column = 0; column < cells.size(); ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            item->setForeground(isSeen ? colours().text : colours().quiet);
            table_->setItem(row, column, item);
        }
    }
    table_->resizeColumnsToContents();
}

void NewBodyBench::copy() const {
    QApplication::clipboard()->setText(QString::fromStdString(night::comingText(*look_)));
    emit session_.notified(
        tr("Copied: where %1 will be.").arg(QString::fromStdString(look_->name)));
}

} // namespace pathmark::desk
