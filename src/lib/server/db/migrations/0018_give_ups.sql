-- Few connections are given up; whoever asks for a week of them must not read the week.
CREATE INDEX connections_given_up ON connections(ended) WHERE result = 'gave up';
