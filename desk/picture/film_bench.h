#pragma once

#include "desk/shell/bench.h"

#include <QWidget>

#include <array>

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QSpinBox;

namespace pathmark::desk {

class FilmSession;
struct FilmSettings;

/// The film of the motion, as a page of Stack: the Sky plays it, the Ribbon says where it begins and ends.
class FilmBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit FilmBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void layOut();
    void read();
    void say();
    void save();

    NightSession& session_;
    FilmSession& film_;
    bool isShown_ = false;
    QLabel* words_;
    QComboBox* holds_;
    QComboBox* shape_;
    QSpinBox* running_;
    QSpinBox* pace_;
    QSpinBox* pause_; ///< tenths of a second
    QCheckBox* stamp_;
    std::array<QCheckBox*, 3> marks_{};
    QPushButton* play_;
    QPushButton* begins_;
    QPushButton* ends_;
    QPushButton* save_;
};

} // namespace pathmark::desk
