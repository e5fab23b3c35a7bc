"""What stands for the window of a jobs presenter: it does at once the work that is asked of it."""


class JobHost:
    """For a test that keeps its presenter as `self.jobs`; what is shown goes to `self.screens`."""

    screens = ()

    def show_job(self, screen):
        self.screens = [*self.screens, screen]

    def show_run(self):
        pass

    def work_asked(self):
        reading = self.jobs.reading_kept()
        for found in reading or ():
            if not isinstance(found, str):
                self.jobs.take_read(*found)
        if reading is None:
            for result in self.jobs.work() or ():
                if not isinstance(result, str):
                    self.jobs.take(result)
