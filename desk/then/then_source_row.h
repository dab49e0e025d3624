#pragma once

#include "core/night/then_picture.h"

#include <QWidget>

#include <optional>

class QComboBox;
class QLineEdit;
class QPushButton;

namespace pathmark::desk {

class NightSession;

/// Where an older picture comes from: a sky survey's address, an image's file, a frame of the night, another night's file.
class ThenSourceRow : public QWidget {
    Q_OBJECT

  public:
    explicit ThenSourceRow(NightSession& session, QWidget* parent = nullptr);

    /// Nothing where none is chosen; why is told.
    [[nodiscard]] std::optional<night::ThenSource> chosen();

    /// The survey of services.toml, where a survey is wanted and none was given.
    void fillIn();

  signals:
    void missing(const QString& why);

  private:
    enum Kind { Survey, File, Frame, Night };

    void setKind(int kind);
    void chooseFile();

    NightSession& session_;
    QComboBox* kind_;
    QLineEdit* address_;
    QPushButton* choose_;
};

} // namespace pathmark::desk
