#pragma once

#include "core/measure/fit_picture.h"

#include <QImage>
#include <QWidget>

#include <array>

namespace pathmark::desk {

/// A fit as three pictures side by side: what was measured and what was fitted on one stretch, and what is left.
class FitPictures : public QWidget {
    Q_OBJECT

  public:
    explicit FitPictures(QWidget* parent = nullptr);

    /// Empty pictures: nothing is shown.
    void setFit(const measure::FitPicture& fit);

    [[nodiscard]] bool hasFit() const { return !pictures_.front().isNull(); }

    [[nodiscard]] QSize sizeHint() const override;

    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::array<QImage, 3> pictures_;
};

} // namespace pathmark::desk
