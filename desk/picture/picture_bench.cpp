#include "desk/picture/picture_bench.h"

#include "desk/picture/histogram_view.h"
#include "desk/picture/look_controls.h"
#include "desk/picture/making_controls.h"
#include "desk/picture/named_controls.h"
#include "desk/picture/picture_session.h"
#include "desk/plot/plot.h"
#include "desk/shell/commands.h"
#include "desk/sky/sky_view.h"
#include "desk/theme/theme.h"

#include <QFileDialog>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

constexpr int kPlotHeight = 130;

} // namespace

PictureBench::PictureBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), picture_(*new PictureSession(session, this)), sky_(sky), title_(new QLabel),
      pages_(new QStackedWidget), histogram_(new HistogramView), controls_(new LookControls),
      colours_(new Plot), making_(new MakingControls), words_(new QLabel),
      itself_(namedButton("pictureItself")), skyOff_(namedButton("pictureSkyOff")),
      save_(namedButton("pictureSave")) {
    setObjectName("pictureBench");
    layOut();
    join();
    showPicture();
}

void PictureBench::layOut() {
    title_->setObjectName("pictureTitle");
    title_->setTextFormat(Qt::PlainText);
    title_->setWordWrap(true);
    words_->setObjectName("pictureWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    colours_->setObjectName("pictureColours");
    colours_->setAccessibleName(tr("Colours of the stars against the catalogue's"));
    colours_->setAxes({tr("BP - RP of the catalogue, mag")}, {{tr("blue less red, mag")}});
    colours_->setLeastHeight(kPlotHeight);
    skyOff_->setCheckable(true);
    auto* look = new QWidget;
    auto* column = new QVBoxLayout(look);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(histogram_, 3);
    column->addWidget(controls_);
    column->addWidget(colours_, 2);
    column->addWidget(words_);
    pages_->addWidget(look);
    pages_->addWidget(making_);
    auto* buttons = new QHBoxLayout;
    for (QPushButton* each : {itself_, skyOff_, save_}) {
        buttons->addWidget(each);
    }
    buttons->addStretch();
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(title_);
    layout->addWidget(pages_, 1);
    layout->addLayout(buttons);
}

void PictureBench::join() {
    connect(&picture_, &PictureSession::changed, this, &PictureBench::showPicture);
    connect(&picture_, &PictureSession::lookChanged, this, &PictureBench::showLook);
    connect(&picture_, &PictureSession::makingChanged, this, [this] {
        making_->setMaking(picture_.making());
    });
    connect(histogram_, &HistogramView::moved, this, &PictureBench::follow);
    connect(histogram_, &HistogramView::rested, &picture_, &PictureSession::keep);
    connect(controls_, &LookControls::moved, this, &PictureBench::take);
    connect(controls_, &LookControls::rested, &picture_, &PictureSession::keep);
    connect(controls_, &LookControls::marksChosen, this, &PictureBench::showLook);
    connect(making_, &MakingControls::changed, &picture_, &PictureSession::remake);
    connect(making_, &MakingControls::brushChanged, this, &PictureBench::followBrush);
    connect(&sky_, &SkyView::circleDrawn, this, &PictureBench::draw);
}

BenchInfo PictureBench::info() const {
    return {"picture",
            tr("Picture of the comet"),
            Stage::Stack,
            {150, 780, 350},
            Qt::SHIFT | Qt::Key_J};
}

void PictureBench::addCommands(Commands& commands) {
    const auto isThere = [this] { return isShown_ && picture_.picture() != nullptr; };
    commands.add({"picture.itself",
                  tr("Picture"),
                  tr("As the picture stretches itself"),
                  {Qt::Key_G},
                  [this] { picture_.reset(); },
                  isThere});
    commands.add({"picture.sky",
                  tr("Picture"),
                  tr("The sky taken off"),
                  {Qt::SHIFT | Qt::Key_G},
                  [this] { showSky(!showsSky_); },
                  isThere});
    commands.add({"picture.save",
                  tr("Picture"),
                  tr("Save the picture"),
                  {Qt::CTRL | Qt::Key_S},
                  [this] { save(); },
                  isThere});
    commands.bind(*itself_, "picture.itself", tr("By itself"));
    commands.bind(*skyOff_, "picture.sky", tr("Sky and planes"));
    commands.bind(*save_, "picture.save", tr("Save…"));
}

void PictureBench::setShown(bool shown) {
    isShown_ = shown;
    if (!shown) {
        showSky(false);
    }
    picture_.setWanted(shown);
}

void PictureBench::refreshColours() {
    histogram_->update();
}

void PictureBench::showPicture() {
    const OpenPicture* open = picture_.picture().get();
    pages_->setVisible(open != nullptr);
    for (QPushButton* each : {itself_, skyOff_, save_}) {
        each->setVisible(open != nullptr);
    }
    if (open == nullptr) {
        histogram_->setHistogram(nullptr);
        title_->setText(picture_.state());
        title_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
        return;
    }
    histogram_->setHistogram(&open->histogram);
    title_->setText(open->title);
    title_->setAlignment(Qt::AlignLeft);
    controls_->setPicture(!open->linear.layers.whole.isGrey, open->linear.layers.hasLayers());
    making_->setFilters(picture_.filters());
    showColours();
}

/// Each star's colour in the picture over the catalogue's, and what the planes were fitted to.
void PictureBench::showColours() {
    const auto& points = picture_.picture()->colours;
    colours_->setVisible(!points.empty());
    PlotSet stars{tr("stars"), 0, PlotRole::Quiet, PlotMark::Level, false, {}};
    PlotSet fitted{tr("fitted"), 0, PlotRole::Predicted, PlotMark::None, true, {}};
    for (const picture::ColourPoint& point : points) {
        stars.points.push_back({point.bpMinusRp,
                                point.blueLessRed,
                                0.0,
                                -1,
                                tr("%1 mag off what its BP - RP says")
                                    .arg(point.blueLessRed - point.fitted, 0, 'f', 3)});
        fitted.points.push_back({point.bpMinusRp, point.fitted, 0.0, -1, {}});
    }
    std::sort(fitted.points.begin(), fitted.points.end(), [](const auto& a, const auto& b) {
        return a.x < b.x;
    });
    colours_->setSets({stars, fitted});
}

void PictureBench::showLook() {
    const auto& open = picture_.picture();
    if (!open) {
        return;
    }
    const picture::Look& look = picture_.look();
    controls_->setLook(look);
    picture::Stretch stretch = open->stretchOf(look);
    if (controls_->marksMoveStars()) {
        const picture::Ground& ground = open->histogram.ground;
        stretch.black = ground.level;
        stretch.white = ground.level + look.stars->white * ground.noise;
        stretch.softness = look.stars->softness * ground.noise;
    }
    histogram_->setStretch(stretch);
    words_->setText(words());
}

/// The marks as a look: in sigmas of the sky, whatever is added later.
void PictureBench::follow(const picture::Stretch& stretch) {
    const auto& open = picture_.picture();
    if (!open) {
        return;
    }
    const picture::Ground& ground = open->histogram.ground;
    picture::Look look = picture_.look();
    const double white = (stretch.white - ground.level) / ground.noise;
    const double softness = stretch.softness / ground.noise;
    if (controls_->marksMoveStars()) {
        look.stars = picture::StarStretch{white, softness};
    } else {
        look.black = (stretch.black - ground.level) / ground.noise;
        look.white = white;
        look.softness = softness;
    }
    picture_.preview(look);
}

/// Stars that are taken apart begin as they were: only what is moved then changes.
void PictureBench::take(picture::Look look) {
    if (const auto& open = picture_.picture(); open && look.stars && !picture_.look().stars) {
        const picture::Stretch stretch = open->stretchOf(look);
        const picture::Ground& ground = open->histogram.ground;
        look.stars = picture::StarStretch{(stretch.white - ground.level) / ground.noise,
                                          stretch.softness / ground.noise};
    }
    picture_.preview(look);
}

void PictureBench::showSky(bool shown) {
    showsSky_ = shown;
    skyOff_->setChecked(shown);
    pages_->setCurrentIndex(shown ? 1 : 0);
    if (!shown) {
        making_->putDown();
    }
    picture_.showSky(shown);
}

void PictureBench::followBrush() {
    sky_.setCircleMode(isShown_ && showsSky_ && making_->drawsLight().has_value());
}

void PictureBench::draw(const frame::PixelPos& centre, double radius) {
    const auto light = making_->drawsLight();
    const Picture* shown = sky_.picture();
    if (!isShown_ || !showsSky_ || !light || shown == nullptr || !shown->wcs ||
        picture_.picture() == nullptr) {
        return;
    }
    making_->add({toTangentPlane(picture_.picture()->linear.body, shown->wcs->toSky(centre)),
                  radius * shown->wcs->scaleArcsec() * kRadiansPerArcsec,
                  *light});
}

QString PictureBench::words() const {
    const OpenPicture& open = *picture_.picture();
    const picture::Stretch stretch = open.stretchOf(picture_.look());
    const picture::Ground& ground = open.histogram.ground;
    const picture::Clipped clipped = picture_.clipped();
    const auto sigmas = [&](double light) {
        return QString::number((light - ground.level) / ground.noise, 'f', 1);
    };
    return tr("Black is %1 sigma of the sky from the sky, white %2; the curve bends %3 above "
              "black.")
               .arg(sigmas(stretch.black), sigmas(stretch.white))
               .arg(stretch.softness / ground.noise, 0, 'f', 1) +
           "\n" +
           tr("Of the pixels %1 % are plain black, %2 % plain white.")
               .arg(100.0 * clipped.black, 0, 'f', 2)
               .arg(100.0 * clipped.white, 0, 'f', 3);
}

void PictureBench::save() {
    const QString path = QFileDialog::getSaveFileName(
        this,
        tr("Save the picture"),
        QString::fromStdString(
            std::filesystem::path(picture_.picture()->path).replace_extension(".png").string()),
        tr("Pictures (*.png *.tif *.fits)"));
    if (!path.isEmpty()) {
        picture_.write(path);
    }
}

} // namespace pathmark::desk
