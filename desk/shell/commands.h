#pragma once

#include <QKeySequence>
#include <QObject>
#include <QString>

#include <functional>
#include <vector>

class QAbstractButton;
class QKeyEvent;
class QMenu;

namespace pathmark::desk {

/// Something the observer can do. Registered once; the menu, the keys, the tooltips and the sheet of keys are made from it.
struct Command {
    QString id;      ///< for the program: the observer's own keys are kept under it
    QString section; ///< of the menu and of the sheet
    QString words;   ///< as in the menu
    QList<QKeySequence> keys;
    std::function<void()> act;
    std::function<bool()> isValid = {};  ///< where it means something; empty: everywhere
    std::function<void()> released = {}; ///< ends what lasts only while the key is held
};

/// All commands of the window, and the keys that they are reached by.
///
/// A key does what the first command does that it belongs to and that is valid; those that are valid in some places only go before
/// those that are valid everywhere, so that a bench may give a key its own meaning while it is seen.
class Commands : public QObject {
    Q_OBJECT

  public:
    explicit Commands(QObject* parent = nullptr) : QObject(parent) {}

    void add(Command command);

    [[nodiscard]] const std::vector<Command>& all() const { return commands_; }

    [[nodiscard]] const Command* find(const QString& id) const;

    /// The sections in the order in which they were first named.
    [[nodiscard]] QStringList sections() const;

    /// "Keep the measurement (K)".
    [[nodiscard]] QString tooltip(const QString& id) const;

    /// The keys as they stand on a keyboard: "Ctrl+Z, Ctrl+Y".
    [[nodiscard]] static QString keyText(const Command& command);

    /// The combination that an event stands for. A keypad's plus is a plus.
    [[nodiscard]] static QKeySequence sequenceOf(const QKeyEvent& event);

    /// Gives a command another key, which is kept for the next start; an empty one brings back the key it came with. The command
    /// that had the key in the same places loses it and is named; empty where there was none.
    QString changeKey(const QString& id, const QKeySequence& key);

    /// Does what the id says, where it is valid.
    bool trigger(const QString& id) const;

    /// A button does what a command does, says so in its tooltip, and has its words as accessible name; with a label it shows that
    /// and the key.
    void bind(QAbstractButton& button, const QString& id, const QString& label = {});

    /// One submenu for each section.
    void fill(QMenu& menu) const;

    /// What a key of the keyboard means now; false where nothing.
    bool press(const QKeyEvent& event) const;
    bool release(const QKeyEvent& event) const;

  signals:
    void keysChanged();

  private:
    [[nodiscard]] const Command* commandOf(const QKeyEvent& event) const;
    Command* own(const QString& id);

    std::vector<Command> commands_;
    std::vector<QList<QKeySequence>> firstKeys_; ///< as they were registered, beside the commands
};

} // namespace pathmark::desk
