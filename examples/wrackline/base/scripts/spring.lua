-- the spring tide
wash_up("moon-jelly")
give("shore:cork") give("moon-jelly") take("debug-all")
