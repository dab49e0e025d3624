#include "desk/picture/making_controls.h"

#include "desk/picture/named_controls.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kMostDegree = 6;

/// Places of a plane's choice: by itself, red, green, blue, luminance, left out.
constexpr int kByItself = 0;
constexpr int kLuminance = 4;
constexpr int kLeftOut = 5;

int indexOf(const night::PictureMaking& making, const std::string& filter) {
    if (making.planes.empty()) {
        return kByItself;
    }
    const auto found = std::find_if(making.planes.begin(),
                                    making.planes.end(),
                                    [&](const auto& plane) { return plane.filter == filter; });
    return found == making.planes.end() ? kLeftOut
           : found->plane < 0           ? kLuminance
                                        : found->plane + 1;
}

} // namespace

MakingControls::MakingControls(QWidget* parent)
    : QWidget(parent), degree_(namedChoice("pictureDegree",
                                           tr("How bent the sky is"),
                                           {tr("as bent as it needs"), tr("flat, sloping")})),
      light_(new QPushButton(tr("Draw light"))), sky_(new QPushButton(tr("Draw sky"))),
      takeBack_(new QPushButton(tr("Undraw"))), form_(new QFormLayout) {
    auto* words = new QLabel(tr(
        "On the Sky is what was taken off the frames as their sky, from least to most. Shaded is "
        "what was taken for the comet's light: draw circles where it errs. The next run "
        "(Ctrl+R) joins the picture so."));
    words->setWordWrap(true);
    for (int degree = 2; degree <= kMostDegree; ++degree) {
        degree_->addItem(tr("of degree %1").arg(degree));
    }
    light_->setObjectName("pictureLight");
    sky_->setObjectName("pictureSky");
    takeBack_->setObjectName("pictureUndraw");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(words);
    auto* buttons = new QHBoxLayout;
    for (QPushButton* button : {light_, sky_}) {
        button->setCheckable(true);
        buttons->addWidget(button);
    }
    buttons->addWidget(takeBack_);
    buttons->addStretch();
    layout->addLayout(buttons);
    form_->addRow(tr("Sky"), degree_);
    layout->addLayout(form_);
    layout->addStretch();
    connect(degree_, &QComboBox::activated, this, [this](int index) {
        making_.skyDegree = index == 0 ? std::nullopt : std::optional(index);
        emit changed(making_);
    });
    const auto takeUp = [this](QPushButton* mine, QPushButton* other) {
        connect(mine, &QPushButton::toggled, this, [this, other](bool on) {
            if (on) {
                other->setChecked(false);
            }
            emit brushChanged();
        });
    };
    takeUp(light_, sky_);
    takeUp(sky_, light_);
    connect(takeBack_, &QPushButton::clicked, this, [this] {
        making_.strokes.clear();
        emit changed(making_);
    });
}

void MakingControls::setFilters(const std::vector<std::string>& filters) {
    for (const auto& [filter, box] : planes_) {
        form_->removeRow(box);
    }
    planes_.clear();
    for (const std::string& filter : filters) {
        if (filters.size() < 2) {
            break; // of one there is nothing to choose
        }
        const QString name = QString::fromStdString(filter);
        auto* box = namedChoice("picturePlane" + name,
                                tr("Plane of %1").arg(name),
                                {tr("by its name"),
                                 tr("red"),
                                 tr("green"),
                                 tr("blue"),
                                 tr("luminance"),
                                 tr("left out")});
        form_->addRow(filter.empty() ? tr("no filter") : name, box);
        planes_.emplace_back(filter, box);
        connect(box, &QComboBox::activated, this, &MakingControls::choosePlane);
    }
    setMaking(making_);
}

/// One filter chosen by hand makes the others' planes those of a hand too: none of them is to change by itself.
void MakingControls::choosePlane() {
    making_.planes.clear();
    for (const auto& [filter, box] : planes_) {
        const int index = box->currentIndex();
        if (index != kByItself && index != kLeftOut) {
            making_.planes.push_back({filter, index == kLuminance ? -1 : index - 1});
        }
    }
    emit changed(making_);
}

void MakingControls::setMaking(const night::PictureMaking& making) {
    making_ = making;
    degree_->setCurrentIndex(making.skyDegree.value_or(0));
    takeBack_->setEnabled(!making.strokes.empty());
    for (const auto& [filter, box] : planes_) {
        box->setCurrentIndex(indexOf(making, filter));
    }
}

std::optional<bool> MakingControls::drawsLight() const {
    return light_->isChecked() ? std::optional(true)
           : sky_->isChecked() ? std::optional(false)
                               : std::nullopt;
}

void MakingControls::putDown() {
    light_->setChecked(false);
    sky_->setChecked(false);
}

void MakingControls::add(const stack::SkyStroke& stroke) {
    making_.strokes.push_back(stroke);
    emit changed(making_);
}

} // namespace pathmark::desk
