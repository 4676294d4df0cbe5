"""What every use case stands on: the studio, the queue and its workers, files, folders, histories."""
