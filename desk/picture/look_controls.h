#pragma once

#include "core/picture/layered_picture.h"

#include <QWidget>

#include <array>
#include <functional>

class QCheckBox;
class QComboBox;
class QLabel;
class QSlider;

namespace pathmark::desk {

/// How a picture looks, beside the marks on its histogram: layers, colours, smoothing, white, and what is drawn on it.
class LookControls : public QWidget {
    Q_OBJECT

  public:
    explicit LookControls(QWidget* parent = nullptr);

    /// What the picture has decides what can be chosen.
    void setPicture(bool hasColour, bool hasLayers);

    void setLook(const picture::Look& look);

    /// Whether the marks on the histogram are those of the stars.
    [[nodiscard]] bool marksMoveStars() const;

  signals:
    void moved(const pathmark::picture::Look& look); ///< by a hand
    void rested();                                   ///< the hand let go
    void marksChosen();                              ///< other marks are on the histogram

  private:
    void say();
    void change(const std::function<void(picture::Look&)>& how, bool rests);
    QSlider* addSlider(const QString& name, const QString& accessible, int most);

    picture::Look look_;
    bool hasColour_ = false;
    QComboBox* layers_;
    QCheckBox* apart_;
    QComboBox* which_;
    QLabel* colourTitle_;
    QSlider* colour_;
    QLabel* smoothTitle_;
    QSlider* smooth_;
    QComboBox* white_;
    std::array<QCheckBox*, 4> marks_{};
};

} // namespace pathmark::desk
