"""Make the demo account and its places, once."""

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from scripts.dev import SIGN_IN
from studio.places.models import Place


class Command(BaseCommand):
    help = "Make the demo account with Saltmere Reach, Saltmere Yard and Harrow Down, if there is none."

    def handle(self, *args: object, **options: object) -> None:
        users = get_user_model()
        user = users.objects.filter(username=SIGN_IN[0]).first()
        if user is None:
            user = users.objects.create_user(username=SIGN_IN[0], email=SIGN_IN[0], password=SIGN_IN[1])
            for document, assets in (down(), yard(), saltmere()):  # the newest lies on top
                Place.start(user, document, assets, "the demo")
            self.stdout.write("Saltmere Reach, Saltmere Yard and Harrow Down are ready.")
