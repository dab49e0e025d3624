#include "desk/curve/light_curve_bench.h"

#include "desk/curve/light_curve_session.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/sky/sky_view.h"
#include "desk/theme/theme.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLineF>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kReachPixels = 12.0; ///< of the screen, from the mouse to its star

QPushButton* button(const char* name, QHBoxLayout& row) {
    auto* made = new QPushButton;
    made->setObjectName(name);
    made->setFocusPolicy(Qt::NoFocus);
    made->setStyleSheet("padding: 4px 9px;"); // five of them stand in a row
    row.addWidget(made);
    return made;
}

QLabel* label(const char* name) {
    auto* made = new QLabel;
    made->setObjectName(name);
    made->setTextFormat(Qt::PlainText);
    made->setWordWrap(true);
    return made;
}

} // namespace

LightCurveBench::LightCurveBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), sky_(sky), curves_(*new LightCurveSession(session, this)),
      title_(label("curveTitle")), curve_(new Plot), lower_(new Plot), words_(label("curveWords")) {
    setObjectName("lightCurve");
    curve_->setObjectName("curvePlot");
    curve_->setAccessibleName(tr("Light curve of the body in hand, and of a star below it"));
    curve_->setLeastHeight(130);
    curve_->setWords([this](int index) { return wordsOfPoint(index); });
    lower_->setObjectName("curveLower");
    lower_->setAccessibleName(tr("Scatter of the stars of the field against their brightness"));
    lower_->setLeastHeight(100);
    lower_->setWords([this](int index) {
        return isFolded_
                   ? tr("%1 h").arg(24.0 * trials_[static_cast<std::size_t>(index)].days, 0, 'f', 3)
                   : starWords(*curves_.curves(), index);
    });
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* row = new QHBoxLayout;
    measure_ = button("curveMeasure", *row);
    fold_ = button("curveFold", *row);
    band_ = button("curveBand", *row);
    serve_ = button("curveServe", *row);
    save_ = button("curveSave", *row);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(curve_, 3);
    layout->addWidget(lower_, 2);
    layout->addWidget(words_);
    layout->addLayout(row);
    connect(curve_, &Plot::picked, this, &LightCurveBench::pickFrame);
    connect(lower_, &Plot::picked, this, &LightCurveBench::pickBelow);
    connect(&curves_, &LightCurveSession::changed, this, &LightCurveBench::refresh);
    connect(&sky_, &SkyView::cursorOver, this, &LightCurveBench::pointAt);
    connect(&sky_, &SkyView::placeClicked, this, [this](const SkyPos& place) {
        if (isShown_ && curves_.curves() != nullptr) {
            takeStar(starNear(place));
        }
    });
    connect(&sky_, &SkyView::pictureShown, this, &LightCurveBench::showMarks);
}

BenchInfo LightCurveBench::info() const {
    return {"curve",
            tr("Light curves of the field"),
            Stage::Measure,
            {180, 600, 500},
            Qt::SHIFT | Qt::Key_U};
}

void LightCurveBench::addCommands(Commands& commands) {
    const QString section = tr("Light curves");
    const auto add = [&](const char* id, const QString& words, const QKeySequence& key, auto act) {
        commands.add(
            {QString("curve.") + id, section, words, {key}, act, [this] { return isShown_; }});
    };
    add("measure", tr("Measure the stars of the field"), Qt::Key_Return, [this] {
        curves_.measure();
    });
    commands.add({"curve.stop",
                  section,
                  tr("Stop measuring"),
                  {Qt::Key_Escape},
                  [this] { curves_.stop(); },
                  [this] { return isShown_ && curves_.isMeasuring(); }});
    add("fold", tr("Against phase, or time"), Qt::Key_V, [this] { setFold(!isFolded_); });
    add("band", tr("Next band"), Qt::Key_G, [this] { curves_.nextBand(); });
    add("serve", tr("The star in hand serves, or not"), Qt::Key_A, [this] {
        curves_.toggleStar(star_);
    });
    add("previous", tr("Previous star, by scatter"), Qt::Key_Comma, [this] { stepStar(-1); });
    add("next", tr("Next star, by scatter"), Qt::Key_Period, [this] { stepStar(1); });
    add("save", tr("Write the curves"), Qt::CTRL | Qt::Key_S, [this] { save(); });
    add("set", tr("Stars of a set, or none"), Qt::CTRL | Qt::Key_L, [this] {
        if (curves_.curves() != nullptr) {
            chooseSet();
        }
    });
    commands.bind(*measure_, "curve.measure", tr("Measure"));
    commands.bind(*fold_, "curve.fold", tr("Phase"));
    commands.bind(*band_, "curve.band", tr("Band"));
    commands.bind(*serve_, "curve.serve", tr("Serves"));
    commands.bind(*save_, "curve.save", tr("Write"));
}

void LightCurveBench::setShown(bool shown) {
    isShown_ = shown;
    refresh();
}

void LightCurveBench::setFrame(int) {
    curve_->setChosen(frameInHand());
}

void LightCurveBench::refresh() {
    const night::BandCurves* curves = curves_.curves();
    if (curves == nullptr) {
        star_ = -1;
    }
    if (!isShown_) {
        showMarks();
        return;
    }
    measure_->setEnabled(!curves_.isMeasuring());
    band_->setEnabled(curves_.bandCount() > 1);
    for (QPushButton* one : {fold_, serve_, save_}) {
        one->setEnabled(curves != nullptr);
    }
    QString title = QString::fromStdString(session_.currentBody().text());
    if (curves != nullptr) {
        title = title.isEmpty() ? tr("No body in hand") : title;
        title += QString(" · %1 · ")
                     .arg(QString::fromStdString(std::string(catalog::name(curves->band))));
        title += tr("%n frame(s)", nullptr, static_cast<int>(curves->frames.size()));
        if (const int target = curves_.target(); target >= 0) {
            const auto& curve = curves->targets[static_cast<std::size_t>(target)];
            title += "\n" + targetWords(curve);
            for (const std::string& remark : night::remarksOn(curve)) {
                title += ' ' + QString::fromStdString(remark);
            }
        }
        for (const std::string& remark : night::remarksOnStars(*curves)) {
            title += ' ' + QString::fromStdString(remark);
        }
    }
    if (!curves_.state().isEmpty()) {
        title += (title.isEmpty() ? "" : "\n") + curves_.state();
    }
    title_->setText(title);
    showCurve();
    showLower();
    showMarks();
}

/// The period that the curve is folded with; nothing: it is shown against time.
std::optional<double> LightCurveBench::foldedWith() const {
    const night::BandCurves* curves = curves_.curves();
    const int target = curves_.target();
    if (!isFolded_ || curves == nullptr || target < 0) {
        return std::nullopt;
    }
    if (foldDays_ > 0.0) {
        return foldDays_;
    }
    const auto& period = curves->targets[static_cast<std::size_t>(target)].period;
    return period ? std::optional(period->days) : std::nullopt;
}

/// The frame in hand among those of the curves; -1: it is none of them.
int LightCurveBench::frameInHand() const {
    const night::BandCurves* curves = curves_.curves();
    const night::LightRecord* light = session_.currentLight();
    if (curves == nullptr || light == nullptr) {
        return -1;
    }
    const auto found = std::find_if(curves->frames.begin(),
                                    curves->frames.end(),
                                    [&](const auto& f) { return f.file == light->calibrated; });
    return found == curves->frames.end() ? -1 : static_cast<int>(found - curves->frames.begin());
}

void LightCurveBench::showCurve() {
    const night::BandCurves* curves = curves_.curves();
    if (!isShown_) {
        return;
    }
    const CurveView view{curves_.target(), star_, foldedWith()};
    QString light = tr("magnitude");
    if (curves != nullptr) {
        const QString band = QString::fromStdString(std::string(catalog::name(curves->band)));
        light = view.foldDays ? tr("%1 at 1 au, mag").arg(band) : tr("%1, mag").arg(band);
    }
    const QString below = star_ >= 0 ? tr("star in hand") : tr("check star");
    curve_->setAxes(view.foldDays
                        ? PlotAxis{tr("phase of %1 h").arg(24.0 * *view.foldDays, 0, 'f', 3)}
                        : PlotAxis{tr("UTC"), true},
                    {{light, false, false, {}, {}, true}, {below, false, false, {}, {}, true}});
    curve_->setEmptyText(curves == nullptr ? tr("No light curve yet")
                                           : tr("No curve of the body in hand"));
    if (curves == nullptr) {
        curve_->setSets({});
        words_->setText({});
        return;
    }
    curve_->setSets(curveSets(*curves_.lights(), *curves, view));
    curve_->setChosen(frameInHand());
    const int check = curves->check ? static_cast<int>(*curves->check) : -1;
    words_->setText(starWords(*curves, star_ >= 0 ? star_ : check));
}

void LightCurveBench::showLower() {
    const night::BandCurves* curves = curves_.curves();
    const int target = curves_.target();
    if (isFolded_ && curves != nullptr && target >= 0) {
        const night::TargetCurve& curve = curves->targets[static_cast<std::size_t>(target)];
        const auto points = curve.clean();
        trials_ = measure::periodogram(
            points, measure::usualRange(points), curve.period ? curve.period->harmonics : 2);
        lower_->setAxes({tr("period, h")}, {{tr("scatter taken away, %")}});
        lower_->setEmptyText(tr("Fewer than ten good points: no period can be told"));
        lower_->setSets(periodSets(trials_));
        return;
    }
    std::vector<std::pair<double, QString>> ticks;
    for (const double rms : {0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0}) {
        ticks.emplace_back(std::log10(rms), QString::number(rms));
    }
    lower_->setAxes({tr("magnitude of the stars")}, {{tr("scatter, mag"), false, false, ticks}});
    lower_->setEmptyText({});
    lower_->setSets(curves == nullptr ? std::vector<PlotSet>() : scatterSets(*curves));
    lower_->setChosen(star_);
}

void LightCurveBench::setFold(bool folded) {
    isFolded_ = folded && curves_.target() >= 0;
    foldDays_ = 0.0;
    showCurve();
    showLower();
}

void LightCurveBench::takeStar(int star) {
    star_ = star;
    showCurve();
    if (!isFolded_) {
        lower_->setChosen(star_);
    }
    showMarks();
}

void LightCurveBench::stepStar(int by) {
    if (curves_.curves() == nullptr) {
        return;
    }
    const auto stars = starsByScatter(*curves_.curves());
    if (stars.empty()) {
        return;
    }
    const auto at = std::find(stars.begin(), stars.end(), star_);
    const auto count = static_cast<std::ptrdiff_t>(stars.size());
    const std::ptrdiff_t next =
        at == stars.end() ? (by > 0 ? 0 : count - 1) : (at - stars.begin() + by + count) % count;
    takeStar(stars[static_cast<std::size_t>(next)]);
}

/// The star of the field that is near a place of the Sky as it is seen; -1: none.
int LightCurveBench::starNear(const SkyPos& place) const {
    const night::BandCurves* curves = curves_.curves();
    const Picture* picture = sky_.picture();
    if (curves == nullptr || picture == nullptr || !picture->wcs) {
        return -1;
    }
    const auto pixel = picture->wcs->toPixel(place);
    if (!pixel) {
        return -1;
    }
    const QPointF mouse = sky_.toWidget(*pixel);
    int nearest = -1;
    double least = kReachPixels;
    for (std::size_t s = 0; s < curves->stars.size(); ++s) {
        const auto at = picture->wcs->toPixel(curves->stars[s].star.place);
        if (!at) {
            continue;
        }
        const double apart = QLineF(sky_.toWidget(*at), mouse).length();
        if (apart < least) {
            least = apart;
            nearest = static_cast<int>(s);
        }
    }
    return nearest;
}

/// The star under the mouse is in hand; away from stars the last one stays.
void LightCurveBench::pointAt(const SkyPos& place) {
    if (!isShown_ || curves_.curves() == nullptr) {
        return;
    }
    if (const int star = starNear(place); star >= 0 && star != star_) {
        takeStar(star);
    }
}

void LightCurveBench::pickBelow(int id) {
    if (!isFolded_) {
        takeStar(id);
        return;
    }
    foldDays_ = trials_[static_cast<std::size_t>(id)].days;
    showCurve();
    lower_->setChosen(id);
}

void LightCurveBench::pickFrame(int index) {
    const night::BandCurves* curves = curves_.curves();
    const NightSnapshot* night = session_.night();
    if (curves == nullptr || night == nullptr || index < 0) {
        return;
    }
    const auto& file = curves->frames[static_cast<std::size_t>(index)].file;
    for (const night::LightRecord& light : night->lights) {
        if (light.calibrated == file) {
            session_.setFrameOf(light.frame);
            return;
        }
    }
}

QString LightCurveBench::wordsOfPoint(int index) const {
    const night::BandCurves* curves = curves_.curves();
    const int target = curves_.target();
    if (curves == nullptr || target < 0 || index < 0) {
        return {};
    }
    const auto& point =
        curves->targets[static_cast<std::size_t>(target)].points[static_cast<std::size_t>(index)];
    QString words = QString("%1 UTC: %2 ± %3")
                        .arg(QString::fromStdString(toIso(point.time, 0)).mid(11, 8))
                        .arg(point.mag.value_or(0.0), 0, 'f', 3)
                        .arg(point.magError, 0, 'f', 3);
    for (const std::string& flag : point.flags) {
        words += ", " + QString::fromStdString(flag).replace('_', ' ');
    }
    return words;
}

std::vector<StarMark> LightCurveBench::marks() const {
    std::vector<StarMark> marks;
    const night::BandCurves* curves = curves_.curves();
    const Picture* picture = sky_.picture();
    if (!isShown_ || curves == nullptr || picture == nullptr || !picture->wcs) {
        return marks;
    }
    for (std::size_t s = 0; s < curves->stars.size(); ++s) {
        const night::FieldStar& star = curves->stars[s];
        const bool isCheck = curves->check && *curves->check == s;
        const bool isInHand = static_cast<int>(s) == star_;
        const auto pixel = picture->wcs->toPixel(star.star.place);
        if (!pixel || !(star.variable || star.scatter.used || isCheck || isInHand)) {
            continue;
        }
        marks.push_back({star.variable       ? StarMarkKind::Rejected
                         : star.scatter.used ? StarMarkKind::Matched
                                             : StarMarkKind::Unclear,
                         *pixel,
                         isInHand,
                         0.0});
    }
    return marks;
}

void LightCurveBench::showMarks() {
    sky_.setCurveMarks(marks());
}

void LightCurveBench::save() {
    if (curves_.curves() == nullptr) {
        return;
    }
    const QString path = QFileDialog::getSaveFileName(
        this,
        tr("Write the light curves"),
        QString::fromStdString((session_.night()->out / "light-curves.csv").string()),
        tr("Table (*.csv);;ALCDEF (*.txt);;VOTable (*.vot);;Set of stars (*.stars.csv)"));
    if (!path.isEmpty()) {
        curves_.write(path);
    }
}

void LightCurveBench::chooseSet() {
    if (curves_.usesSet()) {
        curves_.useSet({});
        return;
    }
    const QString path =
        QFileDialog::getOpenFileName(this,
                                     tr("Stars that the magnitudes go by"),
                                     QString::fromStdString(session_.night()->out.string()),
                                     tr("Set of stars (*.stars.csv);;Table (*.csv)"));
    if (!path.isEmpty()) {
        curves_.useSet(path);
    }
}

} // namespace pathmark::desk
