give("corc") -- and
give("shore:cork")
