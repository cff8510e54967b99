"""What can go wrong, in sentences a user can act on."""


class LumwickError(Exception):
    """Base of every error that is the user's to mend; its text is one clear sentence."""

    option = ""
    """By which the command line is told what this asks for."""


class PlaceError(LumwickError):
    """The place document, or the file it is in, cannot be used."""


class NoSuchShot(PlaceError, LookupError):
    """A shot was asked for by an id or a name that none of the place's shots has."""


class LandError(LumwickError):
    """An elevation file cannot be used."""


class RouteError(LumwickError):
    """A route cannot be followed."""


class RenderError(LumwickError):
    """A frame or film cannot be made."""
