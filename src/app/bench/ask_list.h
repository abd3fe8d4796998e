// What asks for a hand, on top of the bench: sentences with a clock, the gravest first, each with
// ways to say that it was seen or to put it off.
#pragma once

#include <QFrame>
#include <functional>
#include <string>
#include <vector>

class QVBoxLayout;

namespace nk {

class BenchChannel;

struct Ask {
    QString words;
    BenchChannel* channel = nullptr;
    std::string code;  ///< of its alarm; empty: trouble with the source, which goes by itself
    bool hazard = false;
    std::function<void()> seen = {};  ///< of an alarm whose channel is gone
};

/// Of all channels, the gravest first.
std::vector<Ask> asksOf(const std::vector<BenchChannel*>& channels);

class AskList : public QFrame {
    Q_OBJECT
  public:
    explicit AskList(QWidget* parent = nullptr);
    /// Made anew only when it says something else: a button under the pointer stays.
    void setAsks(const std::vector<Ask>& asks, bool large);

  Q_SIGNALS:
    void changed();

  private:
    QVBoxLayout* box_ = nullptr;
    QString shown_;
};

}  // namespace nk
