#include "desk/picture/picture_bench.h"

#include "desk/picture/histogram_view.h"
#include "desk/picture/picture_session.h"
#include "desk/shell/commands.h"

#include <QFileDialog>
#include <QLabel>
#include <QPushButton>
#include <QSlider>
#include <QVBoxLayout>

#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kMostColour = 300; ///< per cent

} // namespace

PictureBench::PictureBench(NightSession& session, QWidget* parent)
    : QWidget(parent), picture_(*new PictureSession(session, this)), title_(new QLabel),
      histogram_(new HistogramView), colourTitle_(new QLabel), colour_(new QSlider(Qt::Horizontal)),
      words_(new QLabel), itself_(new QPushButton), save_(new QPushButton) {
    setObjectName("pictureBench");
    title_->setObjectName("pictureTitle");
    title_->setTextFormat(Qt::PlainText);
    title_->setWordWrap(true);
    words_->setObjectName("pictureWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    colour_->setObjectName("pictureColour");
    colour_->setAccessibleName(tr("Strength of colours"));
    colour_->setRange(0, kMostColour);
    colour_->setPageStep(20);
    itself_->setObjectName("pictureItself");
    save_->setObjectName("pictureSave");
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(itself_);
    buttons->addWidget(save_);
    buttons->addStretch();
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(title_);
    layout->addWidget(histogram_);
    layout->addWidget(colourTitle_);
    layout->addWidget(colour_);
    layout->addWidget(words_);
    layout->addLayout(buttons);
    layout->addStretch();
    connect(&picture_, &PictureSession::changed, this, &PictureBench::showPicture);
    connect(&picture_, &PictureSession::lookChanged, this, &PictureBench::showLook);
    connect(histogram_, &HistogramView::moved, this, &PictureBench::follow);
    connect(histogram_, &HistogramView::rested, &picture_, &PictureSession::keep);
    connect(colour_, &QSlider::valueChanged, this, [this](int percent) {
        picture::Look look = picture_.look();
        look.saturation = 0.01 * percent;
        picture_.preview(look);
        if (!colour_->isSliderDown()) {
            picture_.keep(); // by a key, or a click beside the handle
        }
    });
    connect(colour_, &QSlider::sliderReleased, &picture_, &PictureSession::keep);
    showPicture();
}

BenchInfo PictureBench::info() const {
    return {"picture",
            tr("Picture of the comet"),
            Stage::Stack,
            {150, 790, 340},
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
    commands.add({"picture.save",
                  tr("Picture"),
                  tr("Save the picture"),
                  {Qt::CTRL | Qt::Key_S},
                  [this] { save(); },
                  isThere});
    commands.bind(*itself_, "picture.itself", tr("By itself"));
    commands.bind(*save_, "picture.save", tr("Save…"));
}

void PictureBench::setShown(bool shown) {
    isShown_ = shown;
    picture_.setWanted(shown);
}

void PictureBench::refreshColours() {
    histogram_->update();
}

void PictureBench::showPicture() {
    const auto& open = picture_.picture();
    histogram_->setHistogram(open ? &open->histogram : nullptr);
    const bool isThere = open != nullptr;
    for (QWidget* part : {static_cast<QWidget*>(histogram_),
                          static_cast<QWidget*>(words_),
                          static_cast<QWidget*>(itself_),
                          static_cast<QWidget*>(save_)}) {
        part->setVisible(isThere);
    }
    const bool hasColour = isThere && !open->levels.front().isGrey;
    colour_->setVisible(hasColour);
    colourTitle_->setVisible(hasColour);
    title_->setText(isThere ? open->title : picture_.state());
}

void PictureBench::showLook() {
    const auto& open = picture_.picture();
    if (!open) {
        return;
    }
    histogram_->setStretch(open->stretchOf(picture_.look()));
    const int percent = static_cast<int>(std::lround(100.0 * picture_.look().saturation));
    const QSignalBlocker quiet(colour_);
    colour_->setValue(percent);
    colourTitle_->setText(tr("Colour: %1 % of what it is").arg(percent));
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
    look.black = (stretch.black - ground.level) / ground.noise;
    look.white = (stretch.white - ground.level) / ground.noise;
    look.softness = stretch.softness / ground.noise;
    picture_.preview(look);
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
