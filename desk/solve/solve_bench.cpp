#include "desk/solve/solve_bench.h"

#include "desk/shell/power_text.h"
#include "desk/shell/scrolled.h"
#include "desk/shell/words.h"
#include "desk/solve/hand_fit_panel.h"
#include "desk/solve/hand_fit_session.h"
#include "desk/solve/night_curves.h"
#include "desk/solve/residual_map.h"
#include "desk/solve/residual_plots.h"
#include "desk/solve/solve_checks.h"
#include "desk/solve/star_table.h"
#include "desk/theme/theme.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

/// More arrows than this run together: the parts of the frame say more.
constexpr int kManyStars = 400;

enum FieldPart { Residuals, Checks, Word };

} // namespace

SolveBench::SolveBench(HandFitSession& hand, QWidget* parent) : QWidget(parent), handFit_(hand) {
    setObjectName("solveBench");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(6, 4, 6, 4);
    layout->setSpacing(4);
    auto* row = new QHBoxLayout;
    auto* group = new QButtonGroup(this);
    const QString names[kPages] = {tr("Residuals"), tr("Stars"), tr("Night"), tr("Hand fit")};
    for (int i = 0; i < kPages; ++i) {
        auto* button = new QPushButton(names[i]);
        button->setObjectName(QString("solvePage%1").arg(i));
        button->setCheckable(true);
        button->setFocusPolicy(Qt::NoFocus);
        group->addButton(button, i);
        row->addWidget(button);
        buttons_[static_cast<std::size_t>(i)] = button;
    }
    connect(group, &QButtonGroup::idClicked, this, [this](int page) {
        showPage(static_cast<Page>(page));
    });
    layout->addLayout(row);
    layout->addWidget(buildPages(), 1);
    showPage(Field);
    refreshField();
}

QWidget* SolveBench::buildPages() {
    pages_ = new QStackedWidget;
    table_ = new StarTable;
    curves_ = new NightCurves;
    connect(curves_, &Plot::picked, this, &SolveBench::frameChosen);
    hand_ = new HandFitPanel(handFit_);
    pages_->addWidget(buildField());
    pages_->addWidget(table_);
    auto* scroll = new QScrollArea;
    scrollDownwards(*scroll, curves_);
    pages_->addWidget(scroll);
    pages_->addWidget(hand_);
    connect(table_, &StarTable::starChosen, this, &SolveBench::starChosen);
    return pages_;
}

QWidget* SolveBench::buildField() {
    field_ = new QStackedWidget;
    auto* residuals = new QWidget;
    auto* layout = new QVBoxLayout(residuals);
    layout->setContentsMargins(0, 2, 0, 0);
    layout->setSpacing(4);
    summary_ = new QLabel;
    summary_->setObjectName("solveSummary");
    summary_->setWordWrap(true);
    medians_ = new QPushButton(tr("Medians of parts"));
    medians_->setObjectName("medians");
    medians_->setCheckable(true);
    medians_->setFocusPolicy(Qt::NoFocus);
    medians_->setToolTip(
        tr("Single stars, or the median of each part of the frame: what the solution "
           "misses stays, the noise of single stars fades."));
    map_ = new ResidualMap;
    plots_ = new ResidualPlots;
    connect(plots_, &ResidualPlots::starPicked, this, &SolveBench::starChosen);
    layout->addWidget(summary_);
    auto* row = new QHBoxLayout;
    title_ = new QLabel;
    setTone(*title_, Tone::Quiet);
    row->addWidget(title_, 1);
    row->addWidget(medians_);
    layout->addLayout(row);
    layout->addWidget(map_, 3);
    layout->addWidget(plots_, 2);
    checks_ = new SolveChecks;
    word_ = new QLabel;
    word_->setObjectName("solveWord");
    word_->setAlignment(Qt::AlignCenter);
    word_->setWordWrap(true);
    auto* residualScroll = new QScrollArea;
    scrollDownwards(*residualScroll, residuals);
    field_->addWidget(residualScroll);
    auto* scroll = new QScrollArea;
    scrollDownwards(*scroll, checks_);
    field_->addWidget(scroll);
    field_->addWidget(word_);
    const auto showMedians = [this](bool medians) {
        map_->setMedians(medians);
        title_->setText(medians ? tr("Median residual of each part of the frame")
                                : tr("Residual of each star, catalogue to source"));
    };
    connect(medians_, &QPushButton::toggled, this, showMedians);
    showMedians(false);
    connect(map_, &ResidualMap::starChosen, this, &SolveBench::starChosen);
    connect(checks_, &SolveChecks::handFitWanted, this, [this] { handFit_.begin(); });
    return field_;
}

void SolveBench::showPage(Page page) {
    page_ = page;
    buttons_[page]->setChecked(true);
    pages_->setCurrentIndex(page);
}

const night::LightRecord* SolveBench::light() const {
    const bool there = night_ != nullptr && frame_ >= 0 &&
                       static_cast<std::size_t>(frame_) < night_->lights.size();
    return there ? &night_->lights[static_cast<std::size_t>(frame_)] : nullptr;
}

void SolveBench::setNight(const NightSnapshot* night) {
    const bool isSame =
        night_ != nullptr && night != nullptr && night_->lights.isSameAs(night->lights);
    night_ = night;
    if (!isSame) {
        curves_->setNight(night);
    }
    refreshField();
}

void SolveBench::setFrame(int index) {
    frame_ = index;
    curves_->setChosen(index);
    refreshField();
}

void SolveBench::setStars(const std::shared_ptr<const night::FrameStars>& stars,
                          const QString& state) {
    if (stars == stars_ && state == state_) {
        return; // only the hand has moved
    }
    state_ = state;
    if (stars != stars_) {
        stars_ = stars;
        map_->setStars(stars);
        plots_->setStars(stars);
        table_->setStars(stars);
        if (stars && stars->solution) {
            medians_->setChecked(stars->solution->usedStars > kManyStars);
        }
    }
    refreshField();
}

void SolveBench::setChosen(int star) {
    map_->setChosen(star);
    plots_->setChosen(star);
    table_->setChosen(star);
}

QString SolveBench::summary() const {
    const auto& s = *stars_->solution;
    const auto rejected =
        std::count_if(stars_->stars.begin(), stars_->stars.end(), [](const auto& star) {
            return star.status == solve::MatchStatus::Rejected;
        });
    QString text = Words::tr("%1 stars used, %2 rejected · residual %3″ an axis · χ² %4\n"
                             "%5″ per pixel, turned %6°%7 · degree %8")
                       .arg(s.usedStars)
                       .arg(rejected)
                       .arg(s.rmsArcsec, 0, 'f', 3)
                       .arg(s.chiSquare, 0, 'f', 2)
                       .arg(s.wcs.scaleArcsec(), 0, 'f', 4)
                       .arg(s.wcs.rotation().degrees(), 0, 'f', 2)
                       .arg(s.wcs.mirrored() ? ", mirrored" : "")
                       .arg(s.order);
    const auto* record = light();
    if (record != nullptr && !record->foundBy.empty()) {
        text += Words::tr(" · found by %1").arg(QString::fromStdString(record->foundBy));
    }
    if (record != nullptr && record->falseAlarmLog10 < 0.0) {
        text += QString(" · chance < %1").arg(powerOfTen(record->falseAlarmLog10));
    }
    if (record != nullptr && record->photometry) {
        text += Words::tr("\nZero point %3 %1 ± %2 · limit %4 at 5 σ · sky %5 per ″²")
                    .arg(record->photometry->zeroPoint, 0, 'f', 3)
                    .arg(record->photometry->zeroPointError, 0, 'f', 3)
                    .arg(QString::fromUtf8(catalog::name(record->photometry->band).data()))
                    .arg(record->photometry->limitingMag, 0, 'f', 1)
                    .arg(record->photometry->skyBrightness, 0, 'f', 1);
    }
    return text;
}

void SolveBench::refreshField() {
    const auto* record = light();
    if (stars_ && stars_->solution) {
        summary_->setText(summary());
        field_->setCurrentIndex(Residuals);
    } else if (record != nullptr && !record->solved() && !record->problem.empty()) {
        checks_->setLight(*record);
        field_->setCurrentIndex(Checks);
    } else {
        word_->setText(record == nullptr ? tr("No night is open.") : state_);
        field_->setCurrentIndex(Word);
    }
}

void SolveBench::refreshHandFit() {
    hand_->refresh();
}

} // namespace pathmark::desk
