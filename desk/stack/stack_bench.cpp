#include "desk/stack/stack_bench.h"

#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/scrolled.h"
#include "desk/stack/motion_plane_view.h"
#include "desk/stack/path_plot.h"
#include "desk/stack/stack_bars.h"
#include "desk/stack/stack_session.h"
#include "desk/stack/stack_views.h"
#include "desk/theme/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kRingWidths = 1.6; ///< star widths from the body to the ring about it

/// Digits so that an error has two of them, one where it is small: the table must not grow wider than the bench.
int digitsFor(double error) {
    if (!(error > 0.0)) {
        return 3;
    }
    const int first = -static_cast<int>(std::floor(std::log10(error)));
    return std::clamp(first < 3 ? first + 1 : first, 0, 5);
}

/// How far a motion may be off along its rate, and across it in degrees.
struct RateError {
    double rate = 0.0;
    double degrees = 0.0;

    RateError(const night::SkyMotion& motion, const night::MotionCovariance& covariance) {
        const double length = std::max(1e-9, motion.rate());
        const double e = motion.east / length;
        const double n = motion.north / length;
        const auto along = [&](double a, double b) {
            return std::sqrt(std::max(0.0,
                                      a * a * covariance.east + 2.0 * a * b * covariance.both +
                                          b * b * covariance.north));
        };
        rate = along(e, n);
        degrees = along(n, -e) / length / kRadiansPerDegree;
    }
};

} // namespace

StackBench::StackBench(NightSession& session, QWidget* parent)
    : QScrollArea(parent), session_(session), stack_(*new StackSession(session, this)),
      title_(new QLabel), plane_(new MotionPlaneView), words_(new QLabel),
      toOrbit_(new QPushButton), toFitted_(new QPushButton), toSky_(new QPushButton),
      toRun_(new QPushButton), views_(new StackViews), path_(new PathPlot), bars_(new StackBars) {
    setObjectName("stackBench");
    auto* content = new QWidget;
    auto* layout = new QVBoxLayout(content);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(6);
    title_->setObjectName("stackTitle");
    words_->setObjectName("stackWords");
    // Words that wrap would leave the height of all to be guessed, and the plane would be squeezed.
    // Room for the table before it is there: the plane must not jump.
    words_->setMinimumHeight(static_cast<int>(scaled(84)));
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    toOrbit_->setObjectName("stackToOrbit");
    toFitted_->setObjectName("stackToFitted");
    toSky_->setObjectName("stackToSky");
    auto* buttons = new QHBoxLayout;
    toRun_->setObjectName("stackToRun");
    for (QPushButton* button : {toOrbit_, toFitted_, toSky_, toRun_}) {
        button->setStyleSheet("padding: 4px 9px;"); // four of them stand in a row
        buttons->addWidget(button);
    }
    layout->addWidget(title_);
    layout->addWidget(plane_);
    layout->addWidget(words_);
    layout->addLayout(buttons);
    layout->addWidget(views_);
    layout->addWidget(path_);
    layout->addWidget(bars_, 1);
    scrollDownwards(*this, content);
    connect(&session_, &NightSession::bodyChanged, this, &StackBench::showBody);
    connect(&stack_, &StackSession::changed, this, &StackBench::showMotions);
    connect(&stack_, &StackSession::viewsChanged, this, &StackBench::showViews);
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        if (isVisible()) {
            words_->setText(words());
        }
    });
    connect(path_, &Plot::picked, this, [this](int point) {
        if (const night::FrameId* frame = path_->frameOf(point)) {
            session_.setFrameOf(*frame);
        }
    });
    connect(plane_, &MotionPlaneView::dragged, &stack_, &StackSession::setMotion);
    connect(plane_, &MotionPlaneView::widthWanted, &stack_, &StackSession::widen);
}

BenchInfo StackBench::info() const {
    return {"stack", tr("Stack"), Stage::Stack, {190, 690, 400}};
}

void StackBench::addCommands(Commands& commands) {
    const auto isSeen = [this] { return isVisible(); };
    commands.add({"stack.predicted",
                  tr("Stack"),
                  tr("Orbit's motion"),
                  {Qt::Key_O},
                  [this] { stack_.takePredicted(); },
                  isSeen});
    commands.add({"stack.fitted",
                  tr("Stack"),
                  tr("Fitted motion"),
                  {Qt::Key_M},
                  [this] { stack_.takeFitted(); },
                  isSeen});
    commands.add({"stack.show",
                  tr("Stack"),
                  tr("This stack in the Sky"),
                  {Qt::Key_Return},
                  [this] { showOnSky(); },
                  isSeen});
    commands.add({"stack.run",
                  tr("Stack"),
                  tr("This motion for the next run"),
                  {Qt::Key_A},
                  [this] { stack_.takeIntoRun(); },
                  isSeen});
    commands.add({"stack.stars",
                  tr("Stack"),
                  tr("With its stars (while held)"),
                  {Qt::Key_B},
                  [this] { stack_.setShowsStars(true); },
                  isSeen,
                  [this] { stack_.setShowsStars(false); }});
    commands.add({"stack.bracket",
                  tr("Stack"),
                  tr("A stack begins or ends at this frame"),
                  {Qt::SHIFT | Qt::Key_B},
                  [this] { session_.beginOrEndBracket(); },
                  isSeen});
    commands.add({"stack.noBracket",
                  tr("Stack"),
                  tr("Remove the bracket about this frame"),
                  {Qt::Key_Delete},
                  [this] { session_.dropBracket(session_.currentFrame()); },
                  isSeen});
    commands.bind(*toOrbit_, "stack.predicted", tr("Orbit"));
    commands.bind(*toFitted_, "stack.fitted", tr("Fitted"));
    commands.bind(*toSky_, "stack.show", tr("In Sky"));
    commands.bind(*toRun_, "stack.run", tr("For run"));
}

void StackBench::setNight(const std::shared_ptr<const NightSnapshot>&) {
    showBody();
}

void StackBench::setShown(bool shown) {
    stack_.setWanted(shown);
    if (shown) {
        showBody();
        showMotions();
        setFrame(session_.currentFrame());
    }
}

void StackBench::setFrame(int index) {
    const NightSnapshot* night = session_.night();
    if (night == nullptr || index < 0 || !isVisible()) {
        return;
    }
    const auto& light = night->lights[static_cast<std::size_t>(index)];
    if (light.series != pathSeries_) {
        showPath();
    }
    path_->chooseFrame(light.frame);
}

/// Of the frames of the series in hand.
void StackBench::showPath() {
    const NightSnapshot* night = session_.night();
    const night::LightRecord* light = session_.currentLight();
    if (night == nullptr || light == nullptr || !isVisible()) {
        return;
    }
    pathSeries_ = light->series;
    std::vector<night::PredictionRecord> predictions;
    for (const std::size_t k : night->predictedIn(light->series, session_.currentBody())) {
        predictions.push_back(night->predictions[k]);
    }
    path_->setPath(std::move(predictions), session_.currentMeasurements());
    path_->chooseFrame(light->frame);
}

void StackBench::refreshColours() {
    showMotions();
}

void StackBench::showBody() {
    if (session_.night() == nullptr || !isVisible()) {
        return;
    }
    for (const BodyView& body : session_.night()->bodies) {
        if (body.id == session_.currentBody()) {
            bars_->setBody(QString::fromStdString(body.name),
                           body.frameSnr,
                           body.stackSnr,
                           session_.currentMeasurements());
        }
    }
    showPath();
}

void StackBench::showTitle() {
    const auto& frames = stack_.frames();
    const QString body = QString::fromStdString(session_.currentBody().text());
    QString title = body.isEmpty() ? tr("No body in hand")
                                   : QString("<b style='color:%1'>%2</b>")
                                         .arg(colours().inHand.name(), body.toHtmlEscaped());
    if (frames != nullptr) {
        title += " · " + tr("%n frame(s) over %1 min", nullptr, frames->count())
                             .arg(frames->spanMinutes(), 0, 'f', 0);
    }
    if (stack_.showsStars()) {
        title += " · " + tr("with its stars");
    }
    title_->setText(title);
}

void StackBench::showMotions() {
    const auto& frames = stack_.frames();
    const auto& survey = stack_.survey();
    if (frames != nullptr) {
        plane_->setPredicted(frames->predicted(), frames->predictedError());
    }
    plane_->setEmptyText(stack_.state());
    plane_->setSurvey(survey);
    for (QPushButton* button : {toOrbit_, toSky_, toRun_}) {
        button->setEnabled(survey != nullptr);
    }
    toFitted_->setEnabled(survey != nullptr && survey->fitted.has_value());
    showViews();
}

void StackBench::showViews() {
    const auto& frames = stack_.frames();
    const auto& survey = stack_.survey();
    showTitle();
    plane_->setMotion(stack_.motion());
    words_->setText(words());
    if (frames == nullptr || survey == nullptr || stack_.views() == nullptr) {
        views_->setViews(nullptr, {}, 0.0);
        return;
    }
    views_->setViews(stack_.views(), frames->placeOf(*survey), kRingWidths * frames->fwhmPixels());
}

/// A table: whose motion, how fast, which way, how deep.
QString StackBench::words() const {
    const auto& frames = stack_.frames();
    const auto& survey = stack_.survey();
    if (frames == nullptr || survey == nullptr) {
        return {};
    }
    const Colours& c = colours();
    QString rows;
    const auto row = [&](const QColor& colour,
                         const QString& whose,
                         const night::SkyMotion& motion,
                         const night::MotionCovariance* error,
                         double snr) {
        QString rate = QString::number(motion.rate(), 'f', 3);
        QString angle = QString::number(motion.positionAngleDegrees(), 'f', 1);
        if (error != nullptr) {
            const RateError off(motion, *error);
            const int digits = digitsFor(off.rate);
            rate =
                QString("%1 ± %2").arg(motion.rate(), 0, 'f', digits).arg(off.rate, 0, 'f', digits);
            const int degreeDigits = digitsFor(off.degrees);
            angle = QString("%1 ± %2")
                        .arg(motion.positionAngleDegrees(), 0, 'f', degreeDigits)
                        .arg(off.degrees, 0, 'f', degreeDigits);
        }
        rows +=
            QString("<tr><td style='color:%1'>%2&nbsp;</td><td align=right>&nbsp;%3</td>"
                    "<td align=right>&nbsp;&nbsp;%4</td><td align=right>&nbsp;&nbsp;%5</td></tr>")
                .arg(colour.name(),
                     whose,
                     rate,
                     angle,
                     QString::number(snr, 'f', snr < 1000.0 ? 1 : 0));
    };
    rows += QString("<tr style='color:%1'><td></td><td align=right>%2</td>"
                    "<td align=right>&nbsp;%3</td><td align=right>&nbsp;%4</td></tr>")
                .arg(c.quiet.name(), tr("rate, \"/min"), tr("position angle, °"), tr("S/N"));
    row(c.predicted,
        tr("orbit"),
        frames->predicted(),
        nullptr,
        frames->snrAt(frames->predicted(), *survey));
    if (survey->fitted) {
        row(c.agreed,
            tr("frames"),
            survey->fitted->motion,
            &survey->fitted->covariance,
            survey->fitted->snr);
    }
    row(c.inHand, tr("in hand"), stack_.motion(), nullptr, frames->snrAt(stack_.motion(), *survey));
    if (const auto run = stack_.motionOfRun()) {
        row(c.text, tr("next run"), *run, nullptr, frames->snrAt(*run, *survey));
    }
    QString text = "<table>" + rows + "</table>";
    if (!survey->fitted) {
        text += tr("No light stands out of the frames near the orbit's motion.");
    }
    return text;
}

void StackBench::showOnSky() {
    if (stack_.views() == nullptr || stack_.frames() == nullptr) {
        return;
    }
    auto picture = std::make_shared<Picture>();
    picture->title = tr("%1 added at %2 \"/min, %3°")
                         .arg(QString::fromStdString(session_.currentBody().text()))
                         .arg(stack_.views()->motion.rate(), 0, 'f', 3)
                         .arg(stack_.views()->motion.positionAngleDegrees(), 0, 'f', 1);
    picture->values = stack_.views()->values[0];
    picture->display = stack_.views()->pictures[0];
    picture->wcs = stack_.frames()->grid().wcs;
    session_.showAside(std::move(picture));
}

} // namespace pathmark::desk
