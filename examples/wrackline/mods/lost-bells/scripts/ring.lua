give("ship-bell")
