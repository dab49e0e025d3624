#pragma once

#include <QUndoCommand>

#include <functional>

namespace pathmark::desk {

/// Any decision as a pair of acts.
class Decision : public QUndoCommand {
  public:
    Decision(const QString& text, std::function<void()> apply, std::function<void()> revert)
        : QUndoCommand(text), apply_(std::move(apply)), revert_(std::move(revert)) {}

    void redo() override { apply_(); }

    void undo() override { revert_(); }

  private:
    std::function<void()> apply_;
    std::function<void()> revert_;
};

} // namespace pathmark::desk
