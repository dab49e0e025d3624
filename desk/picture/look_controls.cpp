#include "desk/picture/look_controls.h"

#include "desk/picture/named_controls.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QListView>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>

#include <cmath>
#include <functional>

namespace pathmark::desk {
namespace {

constexpr int kMostColour = 300; ///< per cent
constexpr int kMostSmoothing = 200;

constexpr std::array kMarkFields{&picture::Marks::caption,
                                 &picture::Marks::scale,
                                 &picture::Marks::compass,
                                 &picture::Marks::path};

} // namespace

LookControls::LookControls(QWidget* parent)
    : QWidget(parent),
      layers_(namedChoice("pictureLayers",
                          tr("Layers shown"),
                          {tr("Stars and comet"), tr("The comet alone"), tr("The stars alone")})),
      apart_(new QCheckBox(tr("Stars stretched apart"))),
      which_(namedChoice("pictureWhich",
                         tr("Which layer the marks stretch"),
                         {tr("Marks: the comet"), tr("Marks: the stars")})),
      colourTitle_(new QLabel), smoothTitle_(new QLabel),
      white_(namedChoice("pictureWhite",
                         tr("What is white"),
                         {tr("White: a star like the Sun"),
                          tr("White: the average star"),
                          tr("White: as recorded")})) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    apart_->setObjectName("pictureApart");
    auto* grid = new QGridLayout;
    grid->addWidget(layers_, 0, 0);
    grid->addWidget(white_, 0, 1);
    grid->addWidget(apart_, 1, 0);
    grid->addWidget(which_, 1, 1);
    layout->addLayout(grid);
    layout->addWidget(colourTitle_);
    colour_ = addSlider("pictureColour", tr("Strength of colours"), kMostColour);
    layout->addWidget(smoothTitle_);
    smooth_ = addSlider("pictureSmooth", tr("Strength of smoothing"), kMostSmoothing);
    const std::array words{tr("Caption"), tr("Scale"), tr("Compass"), tr("Path")};
    auto* row = new QHBoxLayout;
    for (std::size_t k = 0; k < marks_.size(); ++k) {
        marks_[k] = new QCheckBox(words[k]);
        marks_[k]->setObjectName(QStringLiteral("pictureMark%1").arg(k));
        row->addWidget(marks_[k]);
        connect(marks_[k], &QCheckBox::toggled, this, [this, k](bool on) {
            change([k, on](picture::Look& look) { look.marks.*kMarkFields[k] = on; }, true);
        });
    }
    row->addStretch();
    layout->addLayout(row);
    connect(layers_, &QComboBox::activated, this, [this](int index) {
        change([index](picture::Look& l) { l.layers = static_cast<picture::Shown>(index); }, true);
    });
    connect(white_, &QComboBox::activated, this, [this](int index) {
        change([index](picture::Look& l) { l.whiteIs = static_cast<picture::White>(index); }, true);
    });
    connect(which_, &QComboBox::activated, this, &LookControls::marksChosen);
    connect(apart_, &QCheckBox::toggled, this, [this](bool on) {
        change(
            [on](picture::Look& look) {
                look.stars = on ? std::optional(picture::StarStretch()) : std::nullopt;
            },
            true);
    });
    connect(colour_, &QSlider::valueChanged, this, [this](int percent) {
        change([percent](picture::Look& look) { look.saturation = 0.01 * percent; },
               !colour_->isSliderDown()); // by a key, or a click beside the handle
    });
    connect(smooth_, &QSlider::valueChanged, this, [this](int percent) {
        change([percent](picture::Look& look) { look.smoothing = 0.01 * percent; },
               !smooth_->isSliderDown());
    });
    for (const QSlider* slider : {colour_, smooth_}) {
        connect(slider, &QSlider::sliderReleased, this, &LookControls::rested);
    }
    say();
}

QSlider* LookControls::addSlider(const QString& name, const QString& accessible, int most) {
    auto* slider = new QSlider(Qt::Horizontal);
    slider->setObjectName(name);
    slider->setAccessibleName(accessible);
    slider->setRange(0, most);
    slider->setPageStep(20);
    layout()->addWidget(slider);
    return slider;
}

void LookControls::change(const std::function<void(picture::Look&)>& how, bool rests) {
    how(look_);
    say();
    emit moved(look_);
    if (rests) {
        emit rested();
    }
}

void LookControls::setPicture(bool hasColour, bool hasLayers) {
    hasColour_ = hasColour;
    colour_->setVisible(hasColour);
    colourTitle_->setVisible(hasColour);
    white_->setVisible(hasColour);
    layers_->setVisible(hasLayers);
    apart_->setVisible(hasLayers);
    say();
}

void LookControls::setLook(const picture::Look& look) {
    look_ = look;
    const QSignalBlocker quietColour(colour_);
    const QSignalBlocker quietSmooth(smooth_);
    const QSignalBlocker quietApart(apart_);
    colour_->setValue(static_cast<int>(std::lround(100.0 * look.saturation)));
    smooth_->setValue(static_cast<int>(std::lround(100.0 * look.smoothing)));
    apart_->setChecked(look.stars.has_value());
    layers_->setCurrentIndex(static_cast<int>(look.layers));
    white_->setCurrentIndex(static_cast<int>(look.whiteIs));
    for (std::size_t k = 0; k < marks_.size(); ++k) {
        const QSignalBlocker quiet(marks_[k]);
        marks_[k]->setChecked(look.marks.*kMarkFields[k]);
    }
    say();
}

void LookControls::say() {
    colourTitle_->setText(
        tr("Colour: %1 % of what it is").arg(std::lround(100.0 * look_.saturation)));
    smoothTitle_->setText(look_.smoothing > 0.0
                              ? tr("Smoothing: what stands out by less than %1 sigma goes")
                                    .arg(3.0 * look_.smoothing, 0, 'f', 1)
                              : tr("Smoothing: none"));
    which_->setVisible(apart_->isChecked() && !apart_->isHidden());
}

bool LookControls::marksMoveStars() const {
    return look_.stars && which_->currentIndex() == 1;
}

} // namespace pathmark::desk
