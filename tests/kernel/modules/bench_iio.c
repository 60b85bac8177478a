// SPDX-License-Identifier: MIT
// A converter without hardware: four voltage inputs of 12 bits, whose codes are what was written to them.
#include <linux/iio/iio.h>
#include <linux/module.h>
#include <linux/platform_device.h>

#define INPUT(number)                                                                                  \
	{                                                                                              \
		.type = IIO_VOLTAGE, .indexed = 1, .channel = (number),                                \
		.info_mask_separate = BIT(IIO_CHAN_INFO_RAW),                                          \
		.info_mask_shared_by_type = BIT(IIO_CHAN_INFO_SCALE),                                  \
	}

static const struct iio_chan_spec bench_channels[] = {INPUT(0), INPUT(1), INPUT(2), INPUT(3)};
static int bench_codes[ARRAY_SIZE(bench_channels)];

static int bench_read(struct iio_dev *device, struct iio_chan_spec const *channel, int *value, int *fraction,
		      long what)
{
	if (what == IIO_CHAN_INFO_SCALE) { /* 3.3 V in 4096 codes, in mV */
		*value = 3300;
		*fraction = 12;
		return IIO_VAL_FRACTIONAL_LOG2;
	}
	*value = bench_codes[channel->channel];
	return IIO_VAL_INT;
}

static int bench_write(struct iio_dev *device, struct iio_chan_spec const *channel, int value, int fraction,
		       long what)
{
	if (what != IIO_CHAN_INFO_RAW || value < 0 || value > 4095)
		return -EINVAL;
	bench_codes[channel->channel] = value;
	return 0;
}

static const struct iio_info bench_info = {.read_raw = bench_read, .write_raw = bench_write};
static struct platform_device *bench_device;
static struct iio_dev *bench_converter;

static int __init bench_begin(void)
{
	int status;

	bench_device = platform_device_register_simple("bench-iio", -1, NULL, 0);
	if (IS_ERR(bench_device))
		return PTR_ERR(bench_device);
	bench_converter = iio_device_alloc(&bench_device->dev, 0);
	if (!bench_converter) {
		platform_device_unregister(bench_device);
		return -ENOMEM;
	}
	bench_converter->name = "bench-iio";
	bench_converter->info = &bench_info;
	bench_converter->channels = bench_channels;
	bench_converter->num_channels = ARRAY_SIZE(bench_channels);
	bench_converter->modes = INDIO_DIRECT_MODE;
	status = iio_device_register(bench_converter);
	if (status) {
		iio_device_free(bench_converter);
		platform_device_unregister(bench_device);
	}
	return status;
}
module_init(bench_begin);

static void __exit bench_end(void)
{
	iio_device_unregister(bench_converter);
	iio_device_free(bench_converter);
	platform_device_unregister(bench_device);
}
module_exit(bench_end);
MODULE_DESCRIPTION("converter of the kernel bench");
MODULE_LICENSE("Dual MIT/GPL");
