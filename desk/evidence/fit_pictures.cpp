#include "desk/evidence/fit_pictures.h"

#include "core/night/frame_picture.h"
#include "desk/session/picture.h"
#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kSide = 100; ///< of a picture on the screen, with text of normal size
constexpr int kBetweenFits = 8;
constexpr double kLeftSigmas = 5.0; ///< from grey to black and to white

/// What is left: grey is nothing, first row at the bottom.
QImage leftPicture(const frame::Image& left) {
    QImage image(left.width(), left.height(), QImage::Format_Grayscale8);
    for (int y = 0; y < left.height(); ++y) {
        uchar* out = image.scanLine(left.height() - 1 - y);
        for (int x = 0; x < left.width(); ++x) {
            const auto sigmas = static_cast<double>(left.at(x, y));
            const double share = std::isfinite(sigmas) ? 0.5 + 0.5 * sigmas / kLeftSigmas : 0.0;
            out[x] = static_cast<uchar>(std::lround(255.0 * std::clamp(share, 0.0, 1.0)));
        }
    }
    return image;
}

} // namespace

FitPictures::FitPictures(QWidget* parent) : QWidget(parent) {
    setObjectName("fitPictures");
    setAccessibleName(tr("The light that was measured, the fit, and what is left of it"));
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    hide();
}

QSize FitPictures::sizeHint() const {
    const int side = static_cast<int>(scaled(kSide));
    return {3 * side + 2 * kBetweenFits, side + fontMetrics().height() + 4};
}

void FitPictures::setFit(const measure::FitPicture& fit) {
    pictures_ = {};
    if (!fit.data.empty()) {
        const auto range = night::displayRange(fit.data);
        pictures_ = {
            stretched(fit.data, {}, range), stretched(fit.model, {}, range), leftPicture(fit.left)};
    }
    setVisible(hasFit());
    update();
}

void FitPictures::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const int height = fontMetrics().height();
    const int side = std::min(this->height() - height - 4, (width() - 2 * kBetweenFits) / 3);
    const QString names[] = {tr("measured"), tr("fitted"), tr("left, ± 5 sigma")};
    painter.setPen(colours().quiet);
    for (int k = 0; k < 3; ++k) {
        const QRect box(k * (side + kBetweenFits), height + 4, side, side);
        painter.drawText(
            QRect(box.left(), 0, side + kBetweenFits, height), Qt::AlignLeft, names[k]);
        painter.drawImage(box, pictures_[static_cast<std::size_t>(k)]);
    }
}

} // namespace pathmark::desk
