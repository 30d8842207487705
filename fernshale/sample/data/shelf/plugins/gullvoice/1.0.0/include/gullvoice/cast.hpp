#pragma once
#include <map>
#include <string>

namespace gullvoice {

// The voices there are, by id, with their pitch.
class Cast {
public:
    // Reads a cast list: one voice a line.
    void load(const std::string& path);
    // Pitch of a voice; 0 when the cast has no such voice.
    int pitch(const std::string& voice) const;
    std::size_t size() const { return pitches_.size(); }

private:
    std::map<std::string, int> pitches_;
};

}  // namespace gullvoice
