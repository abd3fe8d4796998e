// A new channel: where its rows come from, whose they are, what was looked at before the start.
#pragma once

#include <QDialog>

#include "app/bench/live_feed.h"
#include "app/session/session.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace nk {

class SourceDialog : public QDialog {
    Q_OBJECT
  public:
    enum class Kind { Simulated, File, Serial, Computer };
    explicit SourceDialog(Session& session, Kind kind, QWidget* parent = nullptr);
    /// What was chosen; rules as text, one after another.
    FeedWish wish() const;
    std::vector<std::string> rules() const;
    Kind kind() const { return kind_; }
    double speed() const;

  private:
    void refresh();
    bool check();

    Session& session_;
    Kind kind_;
    QLineEdit* source_ = nullptr;
    QComboBox* speed_ = nullptr;
    QComboBox* battery_ = nullptr;
    QLineEdit* title_ = nullptr;
    QLineEdit* rules_ = nullptr;
    QVBoxLayout* list_ = nullptr;
    std::vector<QCheckBox*> ticks_;
    QLabel* problem_ = nullptr;
};

}  // namespace nk
