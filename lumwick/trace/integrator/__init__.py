"""The integrator: follows each sample from the camera to the light.

Read `path` first: its loop is the algorithm. Each of the others answers one question.

=================  ======================================================================================
`path`             the loop: find a surface, cross the medium, light it, choose the next direction
`camera_ray`       where a sample's ray leaves the camera (the one lens law)
`rays`             asking Embree: what is met, what stands between, what clear things leave
`media`            haze, fog and water: what is left between two points, what a stretch adds, what reaches a point
`surfaces`         a file for each kind of surface, each filling one record (`records.LOBES`)
`lights`           sun, sky and lamps: choosing a direction to them, and how bright they are
`windows`          choosing directions to the sky through openings that a place says
`shafts`           lamps' light in haze and fog on its way to the eye
`scattering`       evaluating, sampling, and densities, of a point's lobes
`film`             where light and features are summed
=================  ======================================================================================

At every surface that is not a mirror the sun's disc, the sky and one lamp are sampled directly, the sky and lamps of
some size with multiple importance sampling against the scattered ray (balance heuristic; Veach 1997). Water reflects by
Fresnel and lets light through to the bed. Leaves pass light. Radiances are in cd/m2.

Three simplifications, each keeping the light's sum: a surface met after a matt bounce returns its gloss matt; light
scattered by a matt surface passes clear solids unbent, as their shadows take it; and what one sample brings by a matt
bounce above a limit is set aside and spread over its neighbourhood (`lumwick.trace.render`).
"""
