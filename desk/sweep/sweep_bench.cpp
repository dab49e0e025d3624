#include "desk/sweep/sweep_bench.h"

#include "desk/picture/named_controls.h"
#include "desk/plot/plot.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/scrolled.h"
#include "desk/shell/words.h"
#include "desk/stack/stack_session.h"
#include "desk/stack/stack_views.h"
#include "desk/sweep/sweep_plane.h"
#include "desk/sweep/sweep_session.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kMostRate = 600.0;      ///< arcsec per minute that anybody may ask for
constexpr double kLeastShown = 0.5;      ///< rate at the edge of the plane
constexpr double kSweptRingWidths = 1.6; ///< star widths from the body to the ring about it
constexpr int kFoundRows = 4;
constexpr std::array kChances{0.01, 0.1, 1.0, 10.0};

/// What the bounds are taken from, in the order of the choice.
enum Bounds { ByHand, OfOrbit, FirstPopulation };

QDoubleSpinBox*
number(const char* name, const QString& accessible, double most, int digits, double step) {
    auto* box = new QDoubleSpinBox;
    box->setObjectName(name);
    box->setAccessibleName(accessible);
    box->setRange(0.0, most);
    box->setDecimals(digits);
    box->setSingleStep(step);
    box->setKeyboardTracking(false);
    return box;
}

QString secondsInWords(double seconds) {
    if (seconds < 90.0) {
        return Words::tr("%1 s").arg(std::max(1.0, seconds), 0, 'f', 0);
    }
    return seconds < 5400.0 ? Words::tr("%1 min").arg(seconds / 60.0, 0, 'f', 0)
                            : Words::tr("%1 h").arg(seconds / 3600.0, 0, 'f', 1);
}

QString bytesInWords(double bytes) {
    return bytes < 1e9 ? Words::tr("%1 MB").arg(std::ceil(bytes / 1e6), 0, 'f', 0)
                       : Words::tr("%1 GB").arg(bytes / 1e9, 0, 'f', 1);
}

} // namespace

SweepBench::SweepBench(NightSession& session, QWidget* parent)
    : QScrollArea(parent), session_(session), sweep_(*new SweepSession(session, this)),
      stack_(*new StackSession(session, this)), plane_(new SweepPlane),
      bounds_(namedChoice("sweepBounds",
                          tr("What the bounds are taken from"),
                          {tr("by hand"), tr("orbit in hand")})),
      least_(number("sweepLeast", tr("Least rate, arcsec per minute"), kMostRate, 3, 0.05)),
      most_(number("sweepMost", tr("Most rate, arcsec per minute"), kMostRate, 3, 0.05)),
      from_(number("sweepFrom", tr("From position angle, degrees"), 360.0, 1, 5.0)),
      to_(number("sweepTo", tr("To position angle, degrees"), 360.0, 1, 5.0)),
      chance_(namedChoice("sweepChance", tr("False candidates allowed"), {})),
      start_(namedButton("sweepStart")), forget_(namedButton("sweepForget")), words_(new QLabel),
      table_(new SweptTable(this)), list_(new QTableView), keep_(namedButton("sweepKeep")),
      drop_(namedButton("sweepDrop")), views_(new StackViews), light_(new Plot) {
    setObjectName("sweepBench");
    for (const identify::Population population : identify::kPopulations) {
        bounds_->addItem(SweepPlane::nameOf(population));
    }
    for (const double chance : kChances) {
        chance_->addItem(QString::number(chance));
    }
    layOut();
    connectAll();
}

void SweepBench::layOut() {
    auto* content = new QWidget;
    auto* layout = new QVBoxLayout(content);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(6);
    auto* form = new QFormLayout;
    form->setRowWrapPolicy(QFormLayout::WrapAllRows);
    form->setVerticalSpacing(2);
    auto* rates = new QHBoxLayout;
    rates->addWidget(least_);
    rates->addWidget(most_);
    auto* angles = new QHBoxLayout;
    angles->addWidget(from_);
    angles->addWidget(to_);
    form->addRow(tr("Bounds"), bounds_);
    form->addRow(tr("Rates, \"/min"), rates);
    form->addRow(tr("Position angles, °"), angles);
    form->addRow(tr("False candidates allowed"), chance_);
    auto* beside = new QVBoxLayout;
    beside->addLayout(form);
    beside->addStretch();
    for (const auto& pair : {std::pair{start_, forget_}, std::pair{keep_, drop_}}) {
        auto* row = new QHBoxLayout;
        row->addWidget(pair.first);
        row->addWidget(pair.second);
        beside->addLayout(row);
    }
    auto* top = new QHBoxLayout;
    top->addWidget(plane_, 0, Qt::AlignTop);
    top->addLayout(beside, 1);
    words_->setObjectName("sweepWords");
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::PlainText);
    words_->setMinimumHeight(static_cast<int>(scaled(48)));
    words_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    list_->setObjectName("sweptList");
    list_->setAccessibleName(tr("What the sweep found"));
    list_->setModel(table_);
    list_->setSelectionBehavior(QAbstractItemView::SelectRows);
    list_->setSelectionMode(QAbstractItemView::SingleSelection);
    list_->verticalHeader()->hide();
    list_->horizontalHeader()->setSectionResizeMode(SweptTable::Name, QHeaderView::Stretch);
    for (const auto& [column, widest] : {std::pair{SweptTable::Rate, "00.000"},
                                         std::pair{SweptTable::Angle, "angle, °"},
                                         std::pair{SweptTable::Snr, "0000.0"},
                                         std::pair{SweptTable::ByChance, "by chance"},
                                         std::pair{SweptTable::Magnitude, "00.00"}}) {
        setColumnFor(*list_, column, widest);
    }
    setRowHeight(*list_, 22);
    list_->setFixedHeight(static_cast<int>(scaled(22 * (kFoundRows + 1) + 8)));
    views_->setObjectName("sweepViews");
    light_->setObjectName("sweepLight");
    light_->setAccessibleName(tr("The candidate's light frame by frame"));
    light_->setLeastHeight(150);
    light_->setAxes({tr("time, UTC"), true}, {{tr("S/N in a frame"), false, false}});
    light_->setEmptyText(tr("Take a row above in hand: its light frame by frame."));
    layout->addLayout(top);
    layout->addWidget(words_);
    layout->addWidget(list_);
    layout->addWidget(views_);
    layout->addWidget(light_, 1);
    scrollDownwards(*this, content);
}

void SweepBench::connectAll() {
    connect(&sweep_, &SweepSession::changed, this, &SweepBench::showWish);
    connect(&sweep_, &SweepSession::foundChanged, this, &SweepBench::showFound);
    connect(&stack_, &StackSession::viewsChanged, this, &SweepBench::showViews);
    connect(plane_, &SweepPlane::sectorDrawn, this, [this](const identify::RateSector& sector) {
        sweep_.setSector(sector);
    });
    connect(plane_, &MotionPlane::widthWanted, this, &SweepBench::widen);
    connect(plane_, &SweepPlane::picked, this, [this](const QString& id) {
        session_.setBody(orbit::BodyId::of(id.toStdString()));
    });
    connect(bounds_, &QComboBox::activated, this, &SweepBench::takeBounds);
    connect(chance_, &QComboBox::activated, this, &SweepBench::readControls);
    for (QDoubleSpinBox* box : {least_, most_, from_, to_}) {
        connect(box, &QDoubleSpinBox::valueChanged, this, &SweepBench::readControls);
    }
    connect(list_->selectionModel(),
            &QItemSelectionModel::currentRowChanged,
            this,
            [this](const QModelIndex& now) {
                const SweptTable::Row* row = table_->row(now.row());
                if (row != nullptr && !row->body.name.empty()) {
                    session_.setBody(orbit::BodyId::of(row->body.name));
                }
            });
    connect(light_, &Plot::picked, this, [this](int place) { session_.setFrame(place); });
}

BenchInfo SweepBench::info() const {
    return {"sweep", tr("Sweep"), Stage::Identify, {170, 570, 540}, Qt::SHIFT | Qt::Key_M};
}

void SweepBench::addCommands(Commands& commands) {
    const auto isSeen = [this] { return isVisible() && session_.night() != nullptr; };
    commands.add({"sweep.start",
                  tr("Sweep"),
                  tr("Begin the sweep"),
                  {Qt::Key_Return},
                  [this] { startOrStop(); },
                  isSeen});
    commands.add({"sweep.forget",
                  tr("Sweep"),
                  tr("Forget the latest sweep"),
                  {Qt::Key_Delete},
                  [this] { sweep_.forget(); },
                  isSeen});
    commands.add({"sweep.keep",
                  tr("Sweep"),
                  tr("Keep all of the candidate"),
                  {Qt::SHIFT | Qt::Key_K},
                  [this] { sweep_.judge(session_.currentBody(), night::MeasurementState::Kept); },
                  isSeen});
    commands.add(
        {"sweep.drop",
         tr("Sweep"),
         tr("Drop all of the candidate"),
         {Qt::SHIFT | Qt::Key_X},
         [this] { sweep_.judge(session_.currentBody(), night::MeasurementState::Dropped); },
         isSeen});
    commands.bind(*start_, "sweep.start", tr("Sweep"));
    commands.bind(*forget_, "sweep.forget", tr("Forget"));
    commands.bind(*keep_, "sweep.keep", tr("Keep"));
    commands.bind(*drop_, "sweep.drop", tr("Drop"));
}

void SweepBench::setShown(bool shown) {
    sweep_.setWanted(shown);
    stack_.setWanted(shown);
    if (shown) {
        showWish();
        showFound();
    }
}

void SweepBench::refreshColours() {
    showFound();
}

void SweepBench::startOrStop() {
    if (session_.isRunning()) {
        session_.stop();
        return;
    }
    // Enter after a number was typed takes the number: what it costs is told before it is begun.
    const night::SweepWish before = sweep_.wish();
    for (QDoubleSpinBox* box : {least_, most_, from_, to_}) {
        box->interpretText();
    }
    if (sweep_.wish() == before) {
        sweep_.start();
    }
}

void SweepBench::takeBounds(int choice) {
    if (choice == OfOrbit) {
        sweep_.takeOrbit();
    } else if (choice >= FirstPopulation) {
        sweep_.takePopulation(
            identify::kPopulations[static_cast<std::size_t>(choice - FirstPopulation)]);
    }
}

void SweepBench::readControls() {
    night::SweepWish wish = sweep_.wish();
    wish.leastRate = least_->value();
    wish.mostRate = most_->value();
    const bool isWhole = std::fmod(from_->value(), 360.0) == std::fmod(to_->value(), 360.0);
    wish.fromDegrees = isWhole ? std::nullopt : std::optional(from_->value());
    wish.toDegrees = isWhole ? std::nullopt : std::optional(to_->value());
    wish.falseAlarms = kChances[static_cast<std::size_t>(chance_->currentIndex())];
    sweep_.setWish(wish);
}

void SweepBench::widen(double factor) {
    mostShown_ = std::clamp(factor * mostShown_, 0.05, kMostRate);
    plane_->setMostRate(mostShown_);
}

void SweepBench::showWish() {
    if (!isVisible()) {
        return;
    }
    const identify::RateSector sector = sweep_.sector();
    for (const auto& [box, value] : {std::pair{least_, sector.least},
                                     std::pair{most_, sector.most},
                                     std::pair{from_, sector.fromDegrees},
                                     std::pair{to_, sector.toDegrees}}) {
        const QSignalBlocker quiet(box);
        box->setValue(value);
    }
    const auto chance = std::find(kChances.begin(), kChances.end(), sweep_.wish().falseAlarms);
    chance_->setCurrentIndex(
        chance == kChances.end() ? 1 : static_cast<int>(chance - kChances.begin()));
    if (sector.most > mostShown_ || mostShown_ > 3.0 * std::max(kLeastShown, sector.most)) {
        mostShown_ = std::max(kLeastShown, 1.25 * sector.most);
    }
    const bool isReady = !sweep_.lights().empty();
    plane_->setEmptyText(sweep_.state());
    plane_->setMostRate(isReady ? mostShown_ : 0.0);
    plane_->setSector(sector);
    plane_->setPopulations(sweep_.populations());
    for (std::size_t k = 0; k < sweep_.populations().size(); ++k) {
        // What is not there cannot be taken.
        bounds_->setItemData(FirstPopulation + static_cast<int>(k),
                             sweep_.populations()[k].outline.empty()
                                 ? QVariant(0)
                                 : QVariant(Qt::ItemIsSelectable | Qt::ItemIsEnabled),
                             Qt::UserRole - 1);
    }
    bounds_->setCurrentIndex(boundsOf(sector));
    const bool isRunning = session_.isRunning();
    start_->setText(isRunning ? tr("Stop") : tr("Sweep"));
    start_->setEnabled(isRunning || sweep_.outlook().has_value());
    showWords();
}

/// Whose bounds these are.
int SweepBench::boundsOf(const identify::RateSector& sector) const {
    for (std::size_t k = 0; k < sweep_.populations().size(); ++k) {
        const auto& outline = sweep_.populations()[k].outline;
        if (!outline.empty() && identify::sectorAbout(outline) == sector) {
            return FirstPopulation + static_cast<int>(k);
        }
    }
    return sweep_.orbitSector() == sector ? OfOrbit : ByHand;
}

void SweepBench::showWords() {
    words_->setText(words());
    forget_->setEnabled(!sweep_.swept().empty() || sweep_.waiting() > 0);
}

/// What it costs and shows, then what was found.
QString SweepBench::words() const {
    QString words = sweep_.state();
    if (const auto& outlook = sweep_.outlook()) {
        const int frames = static_cast<int>(sweep_.lights().size());
        words =
            tr("%L1 motions over %n frame(s): about %2, %3 of memory, %4 of disk.", nullptr, frames)
                .arg(static_cast<qulonglong>(outlook->plan.motions))
                .arg(secondsInWords(outlook->seconds),
                     bytesInWords(outlook->room.memory),
                     bytesInWords(outlook->room.disk));
        words += " " + (outlook->depth ? tr("Finds what is brighter than %1 mag (S/N %2).")
                                             .arg(*outlook->depth, 0, 'f', 1)
                                             .arg(outlook->plan.thresholdSnr, 0, 'f', 1)
                                       : tr("Finds what has S/N %1 in all frames together.")
                                             .arg(outlook->plan.thresholdSnr, 0, 'f', 1));
        if (outlook->leastRate > sweep_.wish().leastRate) {
            words += " " + tr("Below %1 \"/min a body stays with the stars.")
                               .arg(outlook->leastRate, 0, 'f', 3);
        }
    }
    return words + foundWords();
}

QString SweepBench::foundWords() const {
    QString words;
    for (const night::SweepRecord* sweep : sweep_.swept()) {
        const auto unknown = std::count_if(sweep->bodies.begin(),
                                           sweep->bodies.end(),
                                           [](const auto& body) { return !body.known; });
        words += "\n" + tr("Swept %1 to %2 \"/min, threshold S/N %3: %n candidate(s), %4 known.",
                           nullptr,
                           static_cast<int>(unknown))
                            .arg(sweep->wish.leastRate, 0, 'f', 2)
                            .arg(sweep->wish.mostRate, 0, 'f', 2)
                            .arg(sweep->thresholdSnr, 0, 'f', 1)
                            .arg(sweep->bodies.size() - static_cast<std::size_t>(unknown));
    }
    if (session_.isRunning() && !sweep_.turningUp().empty()) {
        words += "\n" + tr("%n light(s) turned up so far; what chance makes is measured last.",
                           nullptr,
                           static_cast<int>(sweep_.turningUp().size()));
    } else if (!session_.isRunning() && sweep_.waiting() > 0) {
        words += "\n" + tr("%n sweep(s) asked for that no run has done yet (Ctrl+R).",
                           nullptr,
                           sweep_.waiting());
    }
    return words;
}

std::vector<SweptTable::Row> SweepBench::rows() const {
    std::vector<SweptTable::Row> rows;
    if (session_.isRunning()) {
        for (const night::SweptBody& body : sweep_.turningUp()) {
            rows.push_back({body, {}, false});
        }
        if (!rows.empty()) {
            return rows;
        }
    }
    const NightSnapshot* night = session_.night();
    for (const night::SweepRecord* sweep : sweep_.swept()) {
        for (const night::SweptBody& body : sweep->bodies) {
            const auto id = orbit::BodyId::of(body.name);
            const bool isThere = std::any_of(rows.begin(), rows.end(), [&](const auto& row) {
                return row.body.name == body.name;
            });
            if (isThere) {
                continue;
            }
            QString verdict;
            for (const BodyView& view : night->bodies) {
                if (view.id == id && !body.known && view.kept > 0) {
                    verdict = tr("kept");
                }
            }
            const auto measured = night->measuredOf(id);
            const bool isDropped =
                !measured.empty() &&
                std::all_of(measured.begin(), measured.end(), [&](std::size_t i) {
                    return night->measurements[i].state == night::MeasurementState::Dropped;
                });
            rows.push_back({body,
                            isDropped    ? tr("dropped")
                            : body.known ? tr("known")
                                         : verdict,
                            true});
        }
    }
    return rows;
}

/// Known bodies as the night foretells them, then what was found.
std::vector<MovingMark> SweepBench::marks(const std::vector<SweptTable::Row>& found) const {
    std::vector<MovingMark> marks;
    const auto lights = sweep_.lights();
    const NightSnapshot* night = session_.night();
    if (night == nullptr || lights.empty()) {
        return marks;
    }
    for (const BodyPath& path : night->pathsOf(lights.front()->series)) {
        if (path.candidate || path.predictions.empty()) {
            continue;
        }
        const auto& place = night->predictions[path.predictions[path.predictions.size() / 2]];
        const bool isInHand = path.body == session_.currentBody();
        marks.push_back(
            {QString::fromStdString(path.body.text()),
             night::SkyMotion::towards(place.rateArcsecPerMin, place.positionAngleDegrees),
             true,
             isInHand,
             isInHand ? QString::fromStdString(path.name) : QString()});
    }
    for (const SweptTable::Row& row : found) {
        const auto id = orbit::BodyId::of(row.body.name);
        if (row.body.known) {
            continue;
        }
        marks.push_back(
            {QString::fromStdString(row.body.name),
             night::SkyMotion::towards(row.body.rateArcsecPerMin, row.body.positionAngleDegrees),
             false,
             !row.body.name.empty() && id == session_.currentBody(),
             QString::fromStdString(row.body.name)});
    }
    return marks;
}

void SweepBench::showFound() {
    if (!isVisible()) {
        return;
    }
    const auto found = rows();
    {
        const QSignalBlocker quiet(list_->selectionModel());
        table_->setRows(found);
        const int row = table_->rowOf(session_.currentBody());
        row >= 0 ? list_->selectRow(row) : list_->clearSelection();
    }
    plane_->setMarks(marks(found));
    showWords();
    showInHand();
}

/// The light of the candidate in hand frame by frame.
void SweepBench::showInHand() {
    const NightSnapshot* night = session_.night();
    const orbit::BodyId& body = session_.currentBody();
    PlotSet set{tr("S/N in a frame"), 0, PlotRole::Text, PlotMark::Level, false, {}};
    for (const night::SweepRecord* sweep : sweep_.swept()) {
        for (const night::SweptBody& swept : sweep->bodies) {
            if (orbit::BodyId::of(swept.name) != body || !set.points.empty()) {
                continue;
            }
            for (std::size_t k = 0; k < swept.frameSnr.size(); ++k) {
                const int place = night->placeOf(sweep->frames[k]);
                if (place >= 0 && std::isfinite(swept.frameSnr[k])) {
                    const auto& light = night->lights[static_cast<std::size_t>(place)];
                    set.points.push_back(
                        {plotTime(light.middle),
                         swept.frameSnr[k],
                         1.0,
                         place,
                         tr("frame %1: S/N %2").arg(place + 1).arg(swept.frameSnr[k], 0, 'f', 1)});
                }
            }
        }
    }
    const bool isFound = !set.points.empty();
    keep_->setEnabled(isFound);
    drop_->setEnabled(isFound);
    light_->setSets(isFound ? std::vector{std::move(set)} : std::vector<PlotSet>());
    light_->setChosen(session_.currentFrame());
    showViews();
}

void SweepBench::showViews() {
    const auto& frames = stack_.frames();
    const auto& survey = stack_.survey();
    if (frames == nullptr || survey == nullptr || stack_.views() == nullptr) {
        views_->setViews(nullptr, {}, 0.0);
        return;
    }
    views_->setViews(
        stack_.views(), frames->placeOf(*survey), kSweptRingWidths * frames->fwhmPixels());
}

} // namespace pathmark::desk
