// The station bar: one station per question, in working order, each with its question as subtitle.
#pragma once

#include <QWidget>
#include <vector>

class QLabel;
class QPushButton;
class QToolButton;

namespace nk {

class StationBar : public QWidget {
    Q_OBJECT
  public:
    explicit StationBar(QWidget* parent = nullptr);

    void addStation(const QString& name, const QString& question);
    QString stationName(int index) const;
    void setCurrent(int index);
    void setBook(const QString& name, const QString& note);
    void setSubtitlesShown(bool shown);
    QPushButton* menuButton() const { return menu_; }

  Q_SIGNALS:
    void stationChosen(int index);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    /// Gives the stations their widths.
    void arrange();

    struct Entry {
        QPushButton* button;
        QLabel* subtitle;
        QLabel* name;
    };
    std::vector<Entry> entries_;
    bool subtitles_ = true;
    QWidget* left_ = nullptr;
    QLabel* book_ = nullptr;
    QLabel* note_ = nullptr;
    QPushButton* menu_ = nullptr;
};

}  // namespace nk
