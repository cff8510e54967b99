"""What a stage is made of, section by section: each a function of one frozen record of inputs."""
