#pragma once

#include <QWidget>

namespace pathmark::desk {

/// All keys on one sheet over the window; any key or click puts it away.
class KeyOverlay : public QWidget {
    Q_OBJECT

  public:
    explicit KeyOverlay(QWidget* parent);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
};

} // namespace pathmark::desk
