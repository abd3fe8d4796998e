// The line under the stations: the ruler's reading, pins, and what is under way with its end.
#pragma once

#include <QWidget>

class QLabel;
class QProgressBar;

namespace nk {

class StatusLine : public QWidget {
    Q_OBJECT
  public:
    explicit StatusLine(QWidget* parent = nullptr);

    void setRuler(const QString& reading, const QString& pins);
    /// Empty: nothing is under way.
    void setTask(const QString& name);
    void setProgress(double fraction);

  Q_SIGNALS:
    void cancelRequested();

  private:
    QLabel* ruler_ = nullptr;
    QLabel* pins_ = nullptr;
    QWidget* work_ = nullptr;
    QLabel* task_ = nullptr;
    QProgressBar* progress_ = nullptr;
};

}  // namespace nk
