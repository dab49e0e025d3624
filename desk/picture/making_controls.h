#pragma once

#include "core/night/decisions.h"

#include <QWidget>

#include <optional>
#include <string>
#include <utility>
#include <vector>

class QButtonGroup;
class QComboBox;
class QFormLayout;
class QPushButton;

namespace pathmark::desk {

/// How a picture is joined, where an observer knows better: the degree of the skies, what is light and what is sky, and which filter is
/// which plane.
class MakingControls : public QWidget {
    Q_OBJECT

  public:
    explicit MakingControls(QWidget* parent = nullptr);

    void setFilters(const std::vector<std::string>& filters);

    void setMaking(const night::PictureMaking& making);

    /// What a circle that is drawn on the Sky means; nullopt: it is not drawn.
    [[nodiscard]] std::optional<bool> drawsLight() const;

    /// Draws no more.
    void putDown();

    /// A circle was drawn.
    void add(const stack::SkyStroke& stroke);

  signals:
    void changed(const pathmark::night::PictureMaking& making);
    void brushChanged();

  private:
    void choosePlane();

    night::PictureMaking making_;
    QComboBox* degree_;
    QPushButton* light_;
    QPushButton* sky_;
    QPushButton* takeBack_;
    QFormLayout* form_;
    std::vector<std::pair<std::string, QComboBox*>> planes_;
};

} // namespace pathmark::desk
