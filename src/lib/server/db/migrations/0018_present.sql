-- Few connections are given up; whoever asks for a week of them must not read the week.
CREATE INDEX connections_given_up ON connections(ended) WHERE result = 'gave up';
-- What is open on a machine is found by its end, not by reading all that ever was on it.
DROP INDEX sessions_by_machine;
CREATE INDEX sessions_by_machine ON sessions(machine_id, until);
