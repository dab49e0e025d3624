#pragma once

#include "core/night/calibration_settings.h"

#include <QWidget>

class QComboBox;
class QFormLayout;

namespace pathmark::desk {

/// What is done about the background of the lights: for want of flats, and about gradients.
class BackgroundChoices : public QWidget {
    Q_OBJECT

  public:
    explicit BackgroundChoices(QWidget* parent = nullptr);

    /// Shows what is in force, and tells nothing.
    void show(const night::BackgroundChoice& choice);

    [[nodiscard]] night::BackgroundChoice choice() const;

  signals:
    /// The observer chose something else.
    void chosen();

  private:
    [[nodiscard]] QFormLayout* form() const;
    QComboBox* addRow(const QString& name, const QString& words, const QStringList& choices);

    QComboBox* flats_ = nullptr;
    QComboBox* gradient_ = nullptr;
    QComboBox* per_ = nullptr;
};

} // namespace pathmark::desk
