# An image for continuous integration: git, Redshank, and the script that runs it.
#   podman build --tag redshank .
#   podman run --rm --volume "$PWD:/work" redshank ci-check origin/main
FROM docker.io/library/rust:1-slim AS build
WORKDIR /source
COPY . .
RUN cargo build --release --locked -p redshank && cp target/release/redshank /redshank

FROM docker.io/library/debian:stable-slim
RUN apt-get update -qq \
    && apt-get install -qq --yes --no-install-recommends git ca-certificates \
    && rm -rf /var/lib/apt/lists/*
COPY --from=build /redshank /usr/local/bin/redshank
COPY tools/ci-check /usr/local/bin/ci-check
# The folder that is mounted belongs to somebody else than the image's user.
RUN git config --system --add safe.directory /work
WORKDIR /work
CMD ["redshank", "check"]
